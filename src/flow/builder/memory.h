/* What an image takes of each memory, and of what it is made; kept as JSON, so that builds can be compared. */
#ifndef TA_FLOW_BUILDER_MEMORY_H
#define TA_FLOW_BUILDER_MEMORY_H

#include "flow/project/project.h"

/* SIZES are by name; a symbol's REGION is the name of its memory. */
struct memory_size {
    const char *name;
    uint64_t size_bytes, used_bytes;
};
struct memory_symbol {
    const char *name, *region;
    uint64_t size_bytes;
};

/* Symbols are sorted by size, the largest first. */
struct memory_map {
    struct memory_size *sizes;
    size_t size_count;
    struct memory_symbol *symbols;
    size_t symbol_count;
};

/* The map of all IMAGES on WORKSPACE's board. Of several, the symbols are named "IMAGE/SYMBOL". */
void memory_map_make(struct workspace *workspace, const struct images *images, struct memory_map *map);

enum ta_status memory_map_write(const char *path, const struct memory_map *map, struct ta_problem *why);

/* False when there is none at PATH, or a damaged one. */
bool memory_map_read(const char *path, struct arena *arena, struct memory_map *map);

/* The map of the image that was built last, as it lies in its file; null when there is none. Freed with g_free. */
char *memory_map_text(struct workspace *workspace);

const struct memory_size *memory_map_size(const struct memory_map *map, const char *name);

#endif
