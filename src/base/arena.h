/* An arena: memory that a model grows in and that goes in one call. */
#ifndef TA_BASE_ARENA_H
#define TA_BASE_ARENA_H

#include <stddef.h>

struct arena;

/* Null when out of memory. */
struct arena *arena_new(void);
void arena_free(struct arena *arena);

/* Zeroed memory, aligned for any type; null when out of memory. */
void *arena_alloc(struct arena *arena, size_t size_bytes);

/* Copies of a text: whole, or its first LENGTH bytes; a formatted one. Null when out of memory. */
char *arena_text(struct arena *arena, const char *text);
char *arena_text_part(struct arena *arena, const char *text, size_t length);
char *arena_printf(struct arena *arena, const char *format, ...)
#ifdef __GNUC__
    __attribute__((format(printf, 2, 3)))
#endif
    ;

#endif
