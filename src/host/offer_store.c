#include "host/offer_store.h"

#include <glib.h>
#include <stdlib.h>
#include <string.h>

/* All that is searched of a place is one text, which is quicker than a row each: a line an offer, "POSITION\tKIND\tNAME\tPARTS\t
   WORDS", the last folded. The entry is decoded when it is found. */

static void add_line(GString *lines, size_t position, const struct package *package) {
    const char *kind = package_kinds[package->kind].word;
    g_autofree char *words =
        g_strdup_printf("%s %s %s %s %s", kind, package->package, package->version,
                        package->title ? package->title : "", package->summary ? package->summary : "");
    g_autofree char *folded = g_utf8_casefold(words, -1);
    g_string_append_printf(lines, "%zu\t%s\t%s\t ", position, kind, package->package);
    for (size_t i = 0; i < package->needs.components.count; ++i)
        g_string_append_printf(lines, "%s ", package->needs.components.items[i].name);
    for (size_t i = 0; !package_kind_is_profile(package->kind) && i < package->provides.count; ++i)
        g_string_append_printf(lines, "%s ", package->provides.items[i]); /* a board's are connectors */
    g_string_append_printf(lines, "\t%s\n", folded);
}

enum ta_status offers_keep(struct store *store, const char *place, const char *etag, int64_t asked_s,
                           const struct offers *offers, struct ta_problem *why) {
    g_autoptr(GString) lines = g_string_new(NULL);
    enum ta_status status = store_begin(store, why);
    if (status)
        return status;
    status = store_run(store, why, "DELETE FROM offer WHERE place = ?", "s", place);
    for (size_t i = 0; !status && i < offers->count; ++i) {
        char *entry = package_entry_write(&offers->items[i]);
        status = store_run(store, why, "INSERT INTO offer VALUES (?, ?, ?)", "sis", place, (int64_t)i, entry);
        add_line(lines, i, &offers->items[i].package);
        free(entry);
    }
    if (!status)
        status = store_run(store, why, "INSERT OR REPLACE INTO offer_words VALUES (?, ?)", "ss", place, lines->str);
    if (!status)
        status = store_run(store, why, "INSERT OR REPLACE INTO depot VALUES (?, ?, ?)", "ssi", place, etag, asked_s);
    return store_end(store, status, why);
}

/* Searching. */

struct search {
    const struct offer_query *query;
    char **words;   /* folded */
    GString *found; /* positions, as a JSON array */
    const char *place;
    struct arena *arena;
    struct offers *offers;
    size_t *room;
    struct ta_problem *why;
    enum ta_status status;
};

static bool line_matches(const struct search *search, char *line) {
    g_auto(GStrv) fields = g_strsplit(line, "\t", 5);
    const struct offer_query *query = search->query;
    g_autofree char *part = query->component ? g_strdup_printf(" %s ", query->component) : NULL;
    bool good = g_strv_length(fields) == 5 && (!query->kind || !strcmp(fields[1], query->kind)) &&
                (!query->name || !strcmp(fields[2], query->name)) && (!part || strstr(fields[3], part));
    for (char **word = search->words; good && *word; ++word)
        good = strstr(fields[4], *word) != NULL;
    return good;
}

/* The first word, or the name, leads to the lines that are looked at. */
static bool take_words(void *with, const struct store_row *row) {
    struct search *search = with;
    const char *all = store_text(row, 0), *end;
    const char *lead = search->words[0] ? search->words[0] : search->query->name ? search->query->name : "";
    for (const char *at = all; (at = strstr(at, lead)) && *at; at = end) {
        while (at > all && at[-1] != '\n')
            --at;
        end = strchrnul(at, '\n');
        g_autofree char *line = g_strndup(at, (gsize)(end - at));
        if (line_matches(search, line))
            g_string_append_printf(search->found, "%s%lu", search->found->len ? "," : "[", strtoul(line, NULL, 10));
        end += *end == '\n';
    }
    return false;
}

static bool take_offer(void *with, const struct store_row *row) {
    struct search *search = with;
    const char *entry = store_text(row, 0);
    struct offers *offers = search->offers;
    offers->items = arena_grow(search->arena, offers->items, offers->count, search->room, sizeof *offers->items);
    search->status =
        package_entry_read(entry, strlen(entry), search->place, search->arena, &offers->items[offers->count], NULL);
    if (search->status) {
        g_autofree char *fix = g_strdup_printf("{forget %s}, then {use %s}", search->place, search->place);
        search->status =
            ta_problem_set(search->why, TA_E_SYSTEM, fix, "what is kept of %s's index is damaged", search->place);
    }
    offers->count += !search->status;
    return !search->status;
}

enum ta_status offers_search(struct store *store, const char *place, const struct offer_query *query,
                             struct arena *arena, struct offers *offers, size_t *room, struct ta_problem *why) {
    g_auto(GStrv) words = g_new0(char *, query->word_count + 1);
    g_autoptr(GString) found = g_string_new(NULL);
    struct search search = {query, words, found, place, arena, offers, room, why, TA_OK};
    for (size_t i = 0; i < query->word_count; ++i)
        words[i] = g_utf8_casefold(query->words[i], -1);
    enum ta_status status =
        store_each(store, take_words, &search, why, "SELECT words FROM offer_words WHERE place = ?", "s", place);
    g_string_append(found, found->len ? "]" : "[]");
    if (!status)
        status = store_each(store, take_offer, &search, why,
                            "SELECT entry FROM offer WHERE place = ? AND position IN (SELECT value FROM json_each(?))"
                            " ORDER BY position",
                            "ss", place, found->str);
    return status ? status : search.status;
}
