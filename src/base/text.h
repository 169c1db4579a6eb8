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

/* CANDIDATE when it is near enough to WORD to be offered instead of it, and nearer than BEST (null at first); else BEST. */
const char *text_nearer(const char *word, const char *candidate, const char *best);

/* How many bytes the colour at TEXT takes, as compilers write them: an SGR sequence of ECMA-48, section 8.3.117, that is normal, bold, red to
   cyan, and the EL behind it; 0 for anything else, such as what hides text or blinks. */
size_t text_colour(const char *text);

/* True when TEXT can be a name: small letters, digits, '-' and '_', at least one. */
bool text_is_name(const char *text);

/* True when BYTES is well-formed UTF-8 (RFC 3629). */
bool text_is_utf8(const char *bytes, size_t length);

/* Adds foreign BYTES to OUT as a terminal may show them: what would move the cursor, change colours or turn the direction of
   reading, and what is no UTF-8, stands there as an escape ("\\x1b", "\\u202e"). With LINES, '\n', '\t' and "\r\n" stay as they
   are. A character that the bytes end inside of is left, unless this is the LAST of them; returns how many were taken. */
size_t text_add_shown(struct text *out, const char *bytes, size_t length, bool lines, bool last);

#endif
