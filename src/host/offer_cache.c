#include "host/offer_cache.h"

#include "base/text.h"
#include "host/files.h"

#include <glib.h>
#include <stdlib.h>
#include <string.h>

/* The file: a line "offers 1 COUNT ETAG"; COUNT lines of what is searched, "kind\tname\t parts \twords", folded; COUNT lines
   with the entries in JSON. A search reads the first part fast and decodes only what it found. */

static void add_parts(struct text *text, const struct package *package) {
    for (size_t i = 0; i < package->needs.components.count; ++i)
        text_printf(text, "%s ", package->needs.components.items[i].name);
    bool board = !strcmp(package->kind, "board") || !strcmp(package->kind, "emulator"); /* which provides connectors */
    for (size_t i = 0; !board && i < package->provides.count; ++i)
        text_printf(text, "%s ", package->provides.items[i]);
}

static void add_key(struct text *text, const struct package *package) {
    g_autofree char *words =
        g_strdup_printf("%s %s %s %s %s", package->kind, package->package, package->version,
                        package->title ? package->title : "", package->summary ? package->summary : "");
    g_autofree char *folded = g_utf8_casefold(words, -1);
    text_printf(text, "%s\t%s\t ", package->kind, package->package);
    add_parts(text, package);
    text_printf(text, "\t%s\n", folded);
}

enum ta_status offer_cache_write(const char *path, const char *etag, const struct offers *offers,
                                 struct ta_problem *why) {
    struct text text = {0};
    text_printf(&text, "offers 1 %zu %s\n", offers->count, etag);
    for (size_t i = 0; i < offers->count; ++i)
        add_key(&text, &offers->items[i].package);
    for (size_t i = 0; i < offers->count; ++i) {
        char *entry = package_entry_write(&offers->items[i]);
        text.failed = text.failed || !entry;
        if (entry)
            text_printf(&text, "%s\n", entry);
        free(entry);
    }
    enum ta_status status = text.failed ? ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory")
                                        : file_write(path, text.bytes, text.length, why);
    text_free(&text);
    return status;
}

/* An open file: its first line, and where its parts begin. */
struct cache {
    GMappedFile *map;
    const char *keys, *end;
    size_t count;
    char *etag;
};

static bool cache_open(const char *path, struct cache *cache) {
    *cache = (struct cache){.map = g_mapped_file_new(path, FALSE, NULL)};
    size_t length = cache->map ? g_mapped_file_get_length(cache->map) : 0;
    const char *bytes = length ? g_mapped_file_get_contents(cache->map) : NULL;
    const char *first = bytes ? memchr(bytes, '\n', length) : NULL;
    g_autofree char *line = first ? g_strndup(bytes, (gsize)(first - bytes)) : NULL;
    g_auto(GStrv) words = line ? g_strsplit(line, " ", 4) : NULL;
    bool good = words && g_strv_length(words) == 4 && !strcmp(words[0], "offers") && !strcmp(words[1], "1") &&
                bytes[length - 1] == '\n';
    if (good) {
        cache->keys = first + 1;
        cache->end = bytes + length;
        cache->count = strtoul(words[2], NULL, 10);
        cache->etag = g_strdup(words[3]);
    }
    return good;
}

static void cache_close(struct cache *cache) {
    if (cache->map)
        g_mapped_file_unref(cache->map);
    g_free(cache->etag);
}

char *offer_cache_etag(const char *path) {
    struct cache cache;
    char *etag = cache_open(path, &cache) ? g_strdup(cache.etag) : NULL;
    cache_close(&cache);
    return etag;
}

static bool field_is(const char *field, const char *end, const char *wanted) {
    return !wanted || ((size_t)(end - field) == strlen(wanted) && !memcmp(field, wanted, strlen(wanted)));
}

/* A query with its words folded, and the component as it stands among the parts. */
struct search {
    const struct offer_query *query;
    char **words;
    char *part;
};

static bool key_matches(const struct search *search, const char *line, const char *end) {
    const char *name = memchr(line, '\t', (size_t)(end - line));
    const char *parts = name ? memchr(name + 1, '\t', (size_t)(end - name - 1)) : NULL;
    const char *words = parts ? memchr(parts + 1, '\t', (size_t)(end - parts - 1)) : NULL;
    if (!words || !field_is(line, name, search->query->kind) || !field_is(name + 1, parts, search->query->name))
        return false;
    if (search->part && !memmem(parts, (size_t)(words - parts), search->part, strlen(search->part)))
        return false;
    for (char **word = search->words; *word; ++word)
        if (!memmem(words, (size_t)(end - words), *word, strlen(*word)))
            return false;
    return true;
}

/* The lines among the keys that match, as numbers from 0. Lines that cannot are passed over by the first word alone, which
   is looked for in all keys at once. *ENTRIES is where the keys end. */
static GArray *matching_lines(const struct cache *cache, const struct search *search, const char **entries) {
    GArray *lines = g_array_new(FALSE, FALSE, sizeof(size_t));
    const char *line = cache->keys, *first = search->words[0], *hit = NULL;
    for (size_t i = 0; i < cache->count && line < cache->end; ++i) {
        const char *end = memchr(line, '\n', (size_t)(cache->end - line));
        if (first && (!hit || hit < line))
            hit = memmem(line, (size_t)(cache->end - line), first, strlen(first));
        if (first && !hit)
            hit = cache->end;
        if ((!first || hit < end) && key_matches(search, line, end))
            g_array_append_val(lines, i);
        line = end + 1;
    }
    *entries = line;
    return lines;
}

static enum ta_status decode(const struct cache *cache, const char *entries, const GArray *lines, const char *place,
                             struct arena *arena, struct offers *offers, struct ta_problem *why) {
    struct offer *all = arena_alloc(arena, (offers->count + lines->len + 1) * sizeof *all);
    enum ta_status status = all ? TA_OK : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (!status && offers->count)
        memcpy(all, offers->items, offers->count * sizeof *all);
    const char *line = entries;
    size_t number = 0;
    for (guint i = 0; !status && i < lines->len; ++i) {
        size_t wanted = g_array_index(lines, size_t, i);
        for (; number < wanted && line < cache->end; ++number)
            line = (const char *)memchr(line, '\n', (size_t)(cache->end - line)) + 1;
        const char *end = line < cache->end ? memchr(line, '\n', (size_t)(cache->end - line)) : NULL;
        if (!end)
            return ta_problem_set(why, TA_E_SYSTEM, "remove it, it is made anew", "a list of offers is damaged");
        status = package_entry_read(line, (size_t)(end - line), place, arena, &all[offers->count + i], why);
    }
    if (!status) {
        offers->items = all;
        offers->count += lines->len;
    }
    return status;
}

enum ta_status offer_cache_search(const char *path, const char *place, const struct offer_query *query,
                                  struct arena *arena, struct offers *offers, struct ta_problem *why) {
    struct cache cache;
    enum ta_status status = TA_OK;
    if (cache_open(path, &cache)) {
        struct search search = {.query = query, .words = g_new0(char *, query->word_count + 1)};
        const char *entries;
        search.part = query->component ? g_strdup_printf(" %s ", query->component) : NULL;
        for (size_t i = 0; i < query->word_count; ++i)
            search.words[i] = g_utf8_casefold(query->words[i], -1);
        GArray *lines = matching_lines(&cache, &search, &entries);
        status = decode(&cache, entries, lines, place, arena, offers, why);
        g_array_free(lines, TRUE);
        g_strfreev(search.words);
        g_free(search.part);
    }
    cache_close(&cache);
    if (status && status != TA_E_MEMORY)
        status = ta_problem_set(why, TA_E_SYSTEM, "remove the file, it is made anew", "%s is damaged", path);
    return status;
}
