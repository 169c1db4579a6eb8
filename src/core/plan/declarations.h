/* What a C header declares, and what its comments say of it: for people who look for a function. Read without a compiler. */
#ifndef TA_CORE_DECLARATIONS_H
#define TA_CORE_DECLARATIONS_H

#include "base/arena.h"

#include <stddef.h>

/* DECLARATION is on one line, without attributes. COMMENT is the one right above it, or above the group of lines that it stands
   in; empty when there is none. */
struct declaration {
    const char *name, *declaration, *comment;
};

/* ABOUT is the comment at the header's top. */
struct header {
    const char *about;
    struct declaration *functions;
    size_t function_count;
};

/* Reads TEXT, LENGTH bytes that end in a zero. All memory is ARENA's. */
void header_read(const char *text, size_t length, struct arena *arena, struct header *header);

/* The first sentence of a comment, in ARENA. */
const char *comment_brief(const char *comment, struct arena *arena);

#endif
