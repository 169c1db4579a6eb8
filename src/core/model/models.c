#include "core/model/models.h"

#include <stdlib.h>
#include <string.h>

const struct component *sdk_component(const struct sdk *sdk, const char *name) {
    for (size_t i = 0; i < sdk->component_count; ++i)
        if (!strcmp(sdk->components[i].name, name))
            return &sdk->components[i];
    return NULL;
}

const char *needs_range(const struct needs *needs, const char *name) {
    for (size_t i = 0; i < needs->count; ++i)
        if (!strcmp(needs->items[i].name, name))
            return needs->items[i].range;
    return NULL;
}

const char *pins_version(const struct pins *pins, const char *name) {
    for (size_t i = 0; i < pins->count; ++i)
        if (!strcmp(pins->items[i].name, name))
            return pins->items[i].version;
    return NULL;
}

const char *pairs_value(const struct pairs *pairs, const char *name) {
    for (size_t i = 0; i < pairs->count; ++i)
        if (!strcmp(pairs->items[i].name, name))
            return pairs->items[i].value;
    return NULL;
}

bool pairs_set(struct arena *arena, struct pairs *pairs, const char *name, const char *value) {
    struct pair *items = arena_alloc(arena, (pairs->count + 1) * sizeof *items);
    size_t at = 0;
    if (!items)
        return false;
    if (pairs->count)
        memcpy(items, pairs->items, pairs->count * sizeof *items);
    while (at < pairs->count && strcmp(items[at].name, name))
        ++at;
    items[at] = (struct pair){name, value};
    *pairs = (struct pairs){items, pairs->count + (at == pairs->count)};
    return true;
}

const struct package_kind_row package_kinds[] = {
#define ROW(name, word, label, folder, versioned) {word, label, folder, versioned},
    PACKAGE_KIND_TABLE(ROW)
#undef ROW
};
const char *const package_kind_words[] = {
#define ROW(name, word, label, folder, versioned) word,
    PACKAGE_KIND_TABLE(ROW)
#undef ROW
        NULL};

enum package_kind package_kind_of(const char *word) {
    int kind = 0;
    while (kind < PACKAGE_KINDS && strcmp(package_kinds[kind].word, word))
        ++kind;
    return (enum package_kind)kind;
}

const char *const compiler_words[] = {"gcc", "clang", NULL};
const char *const optimisation_words[] = {"size", "speed", "debug", "nothing", NULL};
const char *const launcher_words[] = {"none", "ccache", "distcc", NULL};
const char *const setting_words[] = {"text", "id", "token", "number", "choice", "secret", NULL};

const char *component_origin(const struct sdk *sdk, const struct component *component) {
    return component->sdk.count ? component->name : sdk->sdk;
}

/* Lamps are counted: "lamps 8" gives eight, "lamps" one. *COUNT is behind the word. */
static bool is_lamps(const char *item, const char **count) {
    static const char lamps[] = "lamps";
    *count = item;
    if (strncmp(item, lamps, strlen(lamps)))
        return false;
    *count = item + strlen(lamps);
    if (!**count)
        return true;
    *count += **count == ' ';
    return **count && strspn(*count, "0123456789") == strlen(*count);
}

static unsigned long lamp_count(const char *count) {
    return *count ? strtoul(count, NULL, 10) : 1;
}

/* Who wants "lamps 6" can have "lamps 8". Of all else a number is part of the name. */
static bool has_connector(const struct texts *connectors, const char *item, const char **has) {
    const char *wanted, *given;
    bool counted = is_lamps(item, &wanted);
    for (size_t i = 0; i < connectors->count; ++i) {
        if (!strcmp(connectors->items[i], item))
            return true;
        if (!counted || !is_lamps(connectors->items[i], &given))
            continue;
        *has = *given ? given : "1";
        return lamp_count(given) >= lamp_count(wanted);
    }
    return false;
}

bool connectors_fit(const struct texts *connectors, const struct texts *wanted, struct lack *lack) {
    for (size_t i = 0; i < wanted->count; ++i) {
        struct lack found = {.wanted = wanted->items[i]};
        if (has_connector(connectors, found.wanted, &found.has))
            continue;
        if (lack)
            *lack = found;
        return false;
    }
    return true;
}
