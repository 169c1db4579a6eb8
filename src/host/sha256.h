/* SHA-256 (FIPS 180-4) of what is told piece by piece. */
#ifndef TA_HOST_SHA256_H
#define TA_HOST_SHA256_H

#include <stddef.h>
#include <stdint.h>

enum { SHA256_BYTES = 32, SHA256_TEXT_BYTES = 2 * SHA256_BYTES + 1 };

/* A digest as lower-case hexadecimal digits, with a zero behind them. */
void sha256_text(const uint8_t digest[SHA256_BYTES], char text[SHA256_TEXT_BYTES]);

/* One digest after the other: each begins with the first piece behind the end of the one before. */
struct sha256;

struct sha256 *sha256_new(void);
void sha256_free(struct sha256 *sum);

void sha256_add(struct sha256 *sum, const void *bytes, size_t length);

/* A text, and a newline behind it. */
void sha256_add_line(struct sha256 *sum, const char *text);
void sha256_end(struct sha256 *sum, uint8_t digest[SHA256_BYTES]);

#endif
