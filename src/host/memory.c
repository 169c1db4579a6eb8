#include "host/memory.h"

#include <glib.h>

static void no_memory(size_t size_bytes) {
    g_error("no memory for %zu bytes", size_bytes);
}

struct arena *arena_or_end(void) {
    struct arena *arena = arena_new();
    if (!arena)
        no_memory(0);
    arena_exhausted(arena, no_memory);
    return arena;
}

void text_or_end(const struct text *text) {
    if (text->failed)
        no_memory(text->room);
}
