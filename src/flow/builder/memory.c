#include "flow/builder/memory.h"

#include <jansson.h>
#include <stdlib.h>

static int by_size(const void *a, const void *b) {
    const struct memory_symbol *left = a, *right = b;
    return left->size_bytes != right->size_bytes ? (left->size_bytes < right->size_bytes ? 1 : -1)
                                                 : strcmp(left->name, right->name);
}

static const char *region_of(const struct ta_profile *profile, uint64_t address) {
    const struct ta_memory *memory = ta_profile_memory_at(profile, address, 1);
    return memory ? memory->name : "";
}

void memory_map_make(struct workspace *workspace, const struct images *images, struct memory_map *map) {
    struct arena *arena = workspace->context->arena;
    const struct ta_profile *profile = &workspace->profile;
    size_t symbols = 0;
    for (size_t i = 0; i < images->count; ++i)
        symbols += images->items[i].symbol_count;
    *map = (struct memory_map){.sizes = arena_alloc(arena, (profile->memory_count + 1) * sizeof *map->sizes),
                               .symbols = arena_alloc(arena, (symbols + 1) * sizeof *map->symbols)};
    for (size_t i = 0; i < profile->memory_count; ++i) {
        const struct ta_memory *memory = &profile->memories[i];
        struct memory_size *size = &map->sizes[map->size_count++];
        *size = (struct memory_size){memory->name, memory->size_bytes, 0};
        for (size_t k = 0; k < images->count; ++k)
            size->used_bytes += ta_image_usage(&images->items[k], memory);
    }
    for (size_t k = 0; k < images->count; ++k) {
        const struct ta_image *image = &images->items[k];
        const char *of = workspace->layout.images[k].name;
        for (size_t i = 0; i < image->symbol_count; ++i) {
            const struct ta_symbol *symbol = &image->symbols[i];
            if (symbol->size_bytes)
                map->symbols[map->symbol_count++] =
                    (struct memory_symbol){of ? arena_join(arena, of, "/", symbol->name) : symbol->name,
                                           region_of(profile, symbol->address), symbol->size_bytes};
        }
    }
    qsort(map->symbols, map->symbol_count, sizeof *map->symbols, by_size);
}

/* "{"name": ..., NUMBER: ...}", without a look at names that are known to be good: an image has hundreds of symbols. */
static json_t *named_number(const char *name, const char *key, uint64_t number) {
    json_t *row = json_object();
    json_object_set_new_nocheck(row, "name", json_string_nocheck(name));
    json_object_set_new_nocheck(row, key, json_integer((json_int_t)number));
    return row;
}

enum ta_status memory_map_write(const char *path, const struct memory_map *map, struct ta_problem *why) {
    json_t *sizes = json_array(), *symbols = json_array();
    for (size_t i = 0; i < map->size_count; ++i) {
        json_t *row = named_number(map->sizes[i].name, "size", map->sizes[i].size_bytes);
        json_object_set_new_nocheck(row, "used", json_integer((json_int_t)map->sizes[i].used_bytes));
        json_array_append_new(sizes, row);
    }
    for (size_t i = 0; i < map->symbol_count; ++i) {
        json_t *row = named_number(map->symbols[i].name, "size", map->symbols[i].size_bytes);
        json_object_set_new_nocheck(row, "memory", json_string_nocheck(map->symbols[i].region));
        json_array_append_new(symbols, row);
    }
    json_t *all = json_pack("{s:o, s:o}", "memories", sizes, "symbols", symbols);
    char *text = json_dumps(all, JSON_INDENT(1));
    json_decref(all);
    enum ta_status status =
        text ? file_write_output(path, text, strlen(text), why)
             : ta_problem_set(why, TA_E_INPUT, "give symbols names in UTF-8", "a symbol's name is not UTF-8");
    free(text);
    return status;
}

static const char *text_at(struct arena *arena, const json_t *row, const char *key) {
    const char *text = json_string_value(json_object_get(row, key));
    return arena_text(arena, text ? text : "");
}

static uint64_t number_at(const json_t *row, const char *key) {
    return (uint64_t)json_integer_value(json_object_get(row, key));
}

bool memory_map_read(const char *path, struct arena *arena, struct memory_map *map) {
    json_t *all = json_load_file(path, 0, NULL);
    const json_t *sizes = json_object_get(all, "memories"), *symbols = json_object_get(all, "symbols");
    *map = (struct memory_map){.sizes = arena_alloc(arena, (json_array_size(sizes) + 1) * sizeof *map->sizes),
                               .symbols = arena_alloc(arena, (json_array_size(symbols) + 1) * sizeof *map->symbols)};
    for (size_t i = 0; i < json_array_size(sizes); ++i) {
        const json_t *row = json_array_get(sizes, i);
        map->sizes[map->size_count++] =
            (struct memory_size){text_at(arena, row, "name"), number_at(row, "size"), number_at(row, "used")};
    }
    for (size_t i = 0; i < json_array_size(symbols); ++i) {
        const json_t *row = json_array_get(symbols, i);
        map->symbols[map->symbol_count++] =
            (struct memory_symbol){text_at(arena, row, "name"), text_at(arena, row, "memory"), number_at(row, "size")};
    }
    json_decref(all);
    return map->size_count > 0;
}

const struct memory_size *memory_map_size(const struct memory_map *map, const char *name) {
    for (size_t i = 0; i < map->size_count; ++i)
        if (!strcmp(map->sizes[i].name, name))
            return &map->sizes[i];
    return NULL;
}

char *memory_map_text(struct workspace *workspace) {
    enum { MAP_BYTES = 64 << 20 };
    char *text = NULL;
    size_t length;
    return file_read(workspace_path(workspace, workspace->layout.memory), MAP_BYTES, &text, &length, NULL) ? NULL
                                                                                                           : text;
}
