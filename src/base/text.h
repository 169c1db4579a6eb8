/* A growing text, and the small questions asked of texts. */
#ifndef TA_BASE_TEXT_H
#define TA_BASE_TEXT_H

#include <stdbool.h>
#include <stddef.h>

/* Starts as {0}; BYTES always ends in a zero once something was added. FAILED stays set after a failed allocation, so
   that a builder asks once, at its end. */
struct text {
    char *bytes;
    size_t length, room;
    bool failed;
};

void text_add(struct text *text, const char *bytes, size_t length);
void text_printf(struct text *text, const char *format, ...)
#ifdef __GNUC__
    __attribute__((format(printf, 2, 3)))
#endif
    ;
/* Forgets the first COUNT bytes. */
void text_drop(struct text *text, size_t count);
void text_free(struct text *text);

/* How many letters must be changed, added, left out or swapped to turn A into B (case folded). */
size_t text_distance(const char *a, const char *b);

/* True when CANDIDATE is near enough to WORD to be offered instead of it. */
bool text_is_near(const char *word, const char *candidate);

/* True when TEXT can be a name: small letters, digits, '-' and '_', at least one. */
bool text_is_name(const char *text);

/* True when BYTES is well-formed UTF-8 (RFC 3629). */
bool text_is_utf8(const char *bytes, size_t length);

#endif
