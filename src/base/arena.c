#include "base/arena.h"

#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct chunk {
    struct chunk *next;
    size_t used, size;
    max_align_t bytes[];
};

struct arena {
    struct chunk *chunks;
    void (*exhausted)(size_t size_bytes);
};

enum { CHUNK_BYTES = 4096 };

struct arena *arena_new(void) {
    return calloc(1, sizeof(struct arena));
}

void arena_free(struct arena *arena) {
    if (!arena)
        return;
    for (struct chunk *chunk = arena->chunks, *next; chunk; chunk = next) {
        next = chunk->next;
        free(chunk);
    }
    free(arena);
}

void arena_exhausted(struct arena *arena, void (*told)(size_t size_bytes)) {
    arena->exhausted = told;
}

static void *no_memory(const struct arena *arena, size_t size_bytes) {
    if (arena->exhausted)
        arena->exhausted(size_bytes);
    return NULL;
}

void *arena_alloc(struct arena *arena, size_t size_bytes) {
    const size_t unit = sizeof(max_align_t);
    if (size_bytes > SIZE_MAX / 2)
        return no_memory(arena, size_bytes);
    size_t size = (size_bytes + unit - 1) / unit * unit;
    struct chunk *chunk = arena->chunks;
    if (!chunk || chunk->size - chunk->used < size) {
        size_t room = size > CHUNK_BYTES ? size : CHUNK_BYTES;
        chunk = calloc(1, sizeof *chunk + room);
        if (!chunk)
            return no_memory(arena, room);
        chunk->size = room;
        chunk->next = arena->chunks;
        arena->chunks = chunk;
    }
    char *memory = (char *)chunk->bytes + chunk->used;
    chunk->used += size;
    return memory;
}

char *arena_text_part(struct arena *arena, const char *text, size_t length) {
    char *copy = arena_alloc(arena, length + 1);
    if (copy)
        memcpy(copy, text, length);
    return copy;
}

char *arena_text(struct arena *arena, const char *text) {
    return arena_text_part(arena, text, strlen(text));
}

char *arena_join(struct arena *arena, const char *first, const char *second, const char *third) {
    size_t lengths[] = {strlen(first), strlen(second), strlen(third)};
    char *text = arena_alloc(arena, lengths[0] + lengths[1] + lengths[2] + 1);
    if (text) {
        memcpy(text, first, lengths[0]);
        memcpy(text + lengths[0], second, lengths[1]);
        memcpy(text + lengths[0] + lengths[1], third, lengths[2]);
    }
    return text;
}

char *arena_printf(struct arena *arena, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    int length = vsnprintf(NULL, 0, format, arguments);
    va_end(arguments);
    if (length < 0)
        return NULL;
    char *text = arena_alloc(arena, (size_t)length + 1);
    if (text) {
        va_start(arguments, format);
        vsnprintf(text, (size_t)length + 1, format, arguments);
        va_end(arguments);
    }
    return text;
}

void *arena_grow(struct arena *arena, void *items, size_t count, size_t *room, size_t size) {
    if (count < *room)
        return items;
    size_t wider = count ? count * 2 : 8;
    void *grown = arena_alloc(arena, wider * size);
    if (!grown)
        return NULL;
    if (count)
        memcpy(grown, items, count * size);
    *room = wider;
    return grown;
}
