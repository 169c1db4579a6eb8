/* An arena: memory that a model grows in and that goes in one call. */
#ifndef TA_BASE_ARENA_H
#define TA_BASE_ARENA_H

#include <stddef.h>

struct arena;

/* Null when out of memory. */
struct arena *arena_new(void);
void arena_free(struct arena *arena);

/* TOLD is called before an allocation fails, and may end the program. */
void arena_exhausted(struct arena *arena, void (*told)(size_t size_bytes));

/* Zeroed memory, aligned for any type; null when out of memory. */
void *arena_alloc(struct arena *arena, size_t size_bytes);

/* ITEMS, an array in the arena with COUNT of *ROOM elements of SIZE bytes taken, with room for one more: the same, or a copy
   twice as long. Null when out of memory. */
void *arena_grow(struct arena *arena, void *items, size_t count, size_t *room, size_t size);

/* Copies of a text: whole, or its first LENGTH bytes; three of them joined; a formatted one. Null when out of memory. */
char *arena_text(struct arena *arena, const char *text);
char *arena_text_part(struct arena *arena, const char *text, size_t length);
char *arena_join(struct arena *arena, const char *first, const char *second, const char *third);
char *arena_printf(struct arena *arena, const char *format, ...)
#ifdef __GNUC__
    __attribute__((format(printf, 2, 3)))
#endif
    ;

#endif
