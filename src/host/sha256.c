#include "host/sha256.h"

#include <glib.h>
#include <string.h>

void sha256_text(const uint8_t digest[SHA256_BYTES], char text[SHA256_TEXT_BYTES]) {
    static const char digits[] = "0123456789abcdef";
    for (size_t i = 0; i < SHA256_BYTES; ++i) {
        text[2 * i] = digits[digest[i] >> 4];
        text[2 * i + 1] = digits[digest[i] & 0xf];
    }
    text[SHA256_TEXT_BYTES - 1] = '\0';
}

/* Pieces are mostly short: they are gathered before they are digested. */
struct sha256 {
    GChecksum *checksum;
    size_t used;
    uint8_t gathered[4096];
};

struct sha256 *sha256_new(void) {
    struct sha256 *sum = g_new0(struct sha256, 1);
    sum->checksum = g_checksum_new(G_CHECKSUM_SHA256);
    return sum;
}

void sha256_free(struct sha256 *sum) {
    g_checksum_free(sum->checksum);
    g_free(sum);
}

static void flush(struct sha256 *sum) {
    g_checksum_update(sum->checksum, sum->gathered, (gssize)sum->used);
    sum->used = 0;
}

void sha256_add(struct sha256 *sum, const void *bytes, size_t length) {
    if (length > sizeof sum->gathered - sum->used)
        flush(sum);
    if (length > sizeof sum->gathered) {
        g_checksum_update(sum->checksum, bytes, (gssize)length);
        return;
    }
    memcpy(sum->gathered + sum->used, bytes, length);
    sum->used += length;
}

void sha256_add_line(struct sha256 *sum, const char *text) {
    sha256_add(sum, text, strlen(text));
    sha256_add(sum, "\n", 1);
}

void sha256_end(struct sha256 *sum, uint8_t digest[SHA256_BYTES]) {
    gsize length = SHA256_BYTES;
    flush(sum);
    g_checksum_get_digest(sum->checksum, digest, &length);
    g_checksum_reset(sum->checksum);
}
