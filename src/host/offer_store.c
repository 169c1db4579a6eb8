#include "host/offer_store.h"

#include <glib.h>
#include <stdlib.h>
#include <string.h>

/* Keeping: what is searched, folded, apart from the entries, which are decoded when they are found. */

static char *parts_of(const struct package *package) {
    g_autoptr(GString) parts = g_string_new(" ");
    for (size_t i = 0; i < package->needs.components.count; ++i)
        g_string_append_printf(parts, "%s ", package->needs.components.items[i].name);
    for (size_t i = 0; !package_kind_is_profile(package->kind) && i < package->provides.count; ++i)
        g_string_append_printf(parts, "%s ", package->provides.items[i]); /* a board's are connectors */
    return g_strdup(parts->str);
}

static enum ta_status keep_offer(struct store *store, const char *place, const struct offer *offer,
                                 struct ta_problem *why) {
    const struct package *package = &offer->package;
    const char *kind = package_kinds[package->kind].word;
    g_autofree char *words =
        g_strdup_printf("%s %s %s %s %s", kind, package->package, package->version,
                        package->title ? package->title : "", package->summary ? package->summary : "");
    g_autofree char *folded = g_utf8_casefold(words, -1), *parts = parts_of(package);
    char *entry = package_entry_write(offer);
    enum ta_status status =
        store_run(store, why, "INSERT INTO offer (place, kind, name, parts, words) VALUES (?, ?, ?, ?, ?)", "sssss",
                  place, kind, package->package, parts, folded);
    if (!status)
        status = store_run(store, why, "INSERT INTO offer_entry VALUES (last_insert_rowid(), ?)", "s", entry);
    free(entry);
    return status;
}

enum ta_status offers_keep(struct store *store, const char *place, const char *etag, int64_t asked_s,
                           const struct offers *offers, struct ta_problem *why) {
    enum ta_status status = store_begin(store, why);
    if (status)
        return status;
    status =
        store_run(store, why, "DELETE FROM offer_entry WHERE id IN (SELECT id FROM offer WHERE place = ?)", "s", place);
    if (!status)
        status = store_run(store, why, "DELETE FROM offer WHERE place = ?", "s", place);
    for (size_t i = 0; !status && i < offers->count; ++i)
        status = keep_offer(store, place, &offers->items[i], why);
    if (!status)
        status = store_run(store, why, "INSERT OR REPLACE INTO depot VALUES (?, ?, ?)", "ssi", place, etag, asked_s);
    return store_end(store, status, why);
}

/* Searching. */

struct search {
    char **words; /* folded */
    const char *place;
    struct arena *arena;
    struct offers *offers;
    size_t *room;
    struct ta_problem *why;
    enum ta_status status;
};

static bool take_offer(void *with, const struct store_row *row) {
    struct search *search = with;
    const char *words = store_text(row, 0), *entry = store_text(row, 1);
    for (char **word = search->words; *word; ++word)
        if (!strstr(words, *word))
            return true;
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

/* The first word is looked for by the store; what is left of the rows is looked at here. */
enum ta_status offers_search(struct store *store, const char *place, const struct offer_query *query,
                             struct arena *arena, struct offers *offers, size_t *room, struct ta_problem *why) {
    g_auto(GStrv) words = g_new0(char *, query->word_count + 1);
    g_autofree char *part = query->component ? g_strdup_printf(" %s ", query->component) : NULL;
    struct search search = {.words = words, .place = place, .arena = arena, .offers = offers, .room = room, .why = why};
    for (size_t i = 0; i < query->word_count; ++i)
        words[i] = g_utf8_casefold(query->words[i], -1);
    enum ta_status status =
        store_each(store, take_offer, &search, why,
                   "SELECT words, entry FROM offer JOIN offer_entry USING (id)"
                   " WHERE place = ?1 AND (?2 IS NULL OR kind = ?2) AND (?3 IS NULL OR name = ?3)"
                   " AND (?4 IS NULL OR instr(parts, ?4)) AND (?5 IS NULL OR instr(words, ?5)) ORDER BY offer.id",
                   "sssss", place, query->kind, query->name, part, words[0]);
    return status ? status : search.status;
}
