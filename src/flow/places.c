#include "flow/places.h"

#include "flow/catalog.h"
#include "flow/context.h"
#include "flow/depot.h"
#include "flow/report.h"
#include "host/archive.h"
#include "host/files.h"
#include "host/model_files.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>

const char place_bundled[] = "bundled";

bool place_is_depot(const char *place) {
    return g_str_has_prefix(place, "http://") || g_str_has_prefix(place, "https://");
}

static char *places_file(const struct ta_context *context) {
    return g_build_filename(context->home, "catalogs.yaml", NULL);
}

enum ta_status places_read(const struct ta_context *context, struct arena *arena, struct texts *places,
                           struct ta_problem *why) {
    static const char *alone[] = {place_bundled};
    g_autofree char *file = places_file(context);
    struct catalogs catalogs = {.places = {alone, 1}};
    enum ta_status status = g_file_test(file, G_FILE_TEST_EXISTS) ? catalogs_read(file, arena, &catalogs, why) : TA_OK;
    *places = catalogs.places;
    return status;
}

/* Archives. */

/* The folder below FOLDER that has the catalog's shape: itself or the one folder in it; null when there is none. */
static char *catalog_root(const char *folder) {
    const char *const patterns[] = {catalog_profiles, catalog_sdks, catalog_examples, catalog_components,
                                    catalog_platforms};
    for (size_t i = 0; i < 2 * G_N_ELEMENTS(patterns); ++i) {
        const char *pattern = patterns[i % G_N_ELEMENTS(patterns)];
        g_autofree char *deeper = g_strconcat(i < G_N_ELEMENTS(patterns) ? "" : "*/", pattern, NULL);
        g_auto(GStrv) found = files_match(folder, deeper);
        if (!found[0])
            continue;
        char *root = g_build_filename(folder, found[0], NULL);
        for (const char *at = pattern; at; at = strchr(at + 1, '/'))
            *strrchr(root, '/') = '\0';
        return root;
    }
    return NULL;
}

/* Unpacked once for each state of the archive: its name, size and time are the folder's name. */
static char *unpacked_archive(const struct ta_context *context, const char *path, struct ta_problem *why) {
    GStatBuf about;
    char digest[SHA256_TEXT_BYTES];
    unsigned files;
    if (g_stat(path, &about)) {
        ta_problem_set(why, TA_E_SYSTEM, "check the path", "cannot read %s: %s", path, g_strerror(errno));
        return NULL;
    }
    g_autofree char *state = g_strdup_printf("%s %lld %lld.%09ld", path, (long long)about.st_size,
                                             (long long)about.st_mtim.tv_sec, about.st_mtim.tv_nsec);
    bytes_sha256(state, strlen(state), digest);
    g_autofree char *above = g_build_filename(context->cache, "catalogs", NULL);
    g_autofree char *folder = g_strdup_printf("%s/%.16s", above, digest);
    g_autofree char *growing = g_strdup_printf("%s.part-%d", folder, (int)getpid());
    const struct file_watch watch = context_watch(context, NULL, NULL);
    struct archive_limits limits;
    if (!g_file_test(folder, G_FILE_TEST_IS_DIR)) {
        if (folder_make(above, why) || context_limits(context, &limits, why) ||
            archive_unpack(path, growing, &limits, &watch, &files, why))
            return NULL;
        if (g_rename(growing, folder))
            folder_remove(growing); /* another process was faster */
    }
    char *root = catalog_root(folder);
    if (!root)
        ta_problem_set(why, TA_E_INPUT, "docs/formats.md shows a catalog's folders", "%s holds no catalog", path);
    return root;
}

/* Folders. */

static void add_place(const struct ta_context *context, const char *place, GPtrArray *folders,
                      struct ta_report *report) {
    struct ta_problem why = {0};
    if (!strcmp(place, place_bundled)) {
        g_auto(GStrv) own = g_strsplit(context->catalog, ":", -1);
        for (char **folder = own; *folder; ++folder)
            g_ptr_array_add(folders, g_strdup(*folder));
        return;
    }
    if (g_file_test(place, G_FILE_TEST_IS_DIR)) {
        g_ptr_array_add(folders, g_strdup(place));
        return;
    }
    char *folder = unpacked_archive(context, place, &why);
    if (folder)
        g_ptr_array_add(folders, folder);
    else if (report)
        report_add(report, TA_LEVEL_WARNING, "catalog", why.fix, "%s", why.what);
}

GPtrArray *places_folders(const struct ta_context *context, struct ta_report *report) {
    GPtrArray *folders = g_ptr_array_new_with_free_func(g_free);
    struct arena *arena = arena_new();
    struct texts places = {0};
    struct ta_problem why = {0};
    if (arena && places_read(context, arena, &places, &why)) {
        if (report)
            report_problem(report, "catalogs", &why);
        add_place(context, place_bundled, folders, report);
    }
    for (size_t i = 0; i < places.count; ++i)
        if (!place_is_depot(places.items[i]))
            add_place(context, places.items[i], folders, report);
    arena_free(arena);
    return folders;
}

/* Setting them. */

static void report_places(const struct ta_context *context, struct ta_report *report, const struct texts *places) {
    for (size_t i = 0; i < places->count; ++i) {
        const char *place = places->items[i];
        const char *kind = place_is_depot(place)                    ? "depot"
                           : !strcmp(place, place_bundled)          ? "bundled"
                           : g_file_test(place, G_FILE_TEST_IS_DIR) ? "folder"
                           : g_file_test(place, G_FILE_TEST_EXISTS) ? "archive"
                                                                    : NULL;
        if (kind)
            report_add(report, TA_LEVEL_OK, kind, NULL, "%s", strcmp(place, place_bundled) ? place : context->catalog);
        else
            report_add(report, TA_LEVEL_WARNING, "missing", "put it back, or tanchor catalog forget it", "%s", place);
    }
}

/* PLACE as it is kept: an address without a slash at its end, a path made absolute. */
static char *kept_place(const char *place) {
    if (!strcmp(place, place_bundled))
        return g_strdup(place);
    if (!place_is_depot(place))
        return g_canonicalize_filename(place, NULL);
    size_t length = strlen(place);
    while (length && place[length - 1] == '/')
        --length;
    return g_strndup(place, length);
}

/* The places without PLACE, room for one more; true when it was among them. */
static bool without(struct arena *arena, struct texts *places, const char *place) {
    const char **items = arena_alloc(arena, (places->count + 1) * sizeof *items);
    size_t count = 0;
    for (size_t i = 0; items && i < places->count; ++i)
        if (strcmp(places->items[i], place))
            items[count++] = places->items[i];
    bool was = count != places->count;
    *places = (struct texts){items, items ? count : 0};
    return was;
}

static enum ta_status check_place(struct ta_context *context, const char *place, struct ta_problem *why) {
    if (place_is_depot(place) || !strcmp(place, place_bundled))
        return TA_OK;
    if (!g_file_test(place, G_FILE_TEST_EXISTS))
        return ta_problem_set(why, TA_E_INPUT, "name a folder, an archive, or a depot's http:// address",
                              "%s does not exist", place);
    g_autofree char *root =
        g_file_test(place, G_FILE_TEST_IS_DIR) ? catalog_root(place) : unpacked_archive(context, place, why);
    if (!root && g_file_test(place, G_FILE_TEST_IS_DIR))
        return ta_problem_set(why, TA_E_INPUT, "docs/formats.md shows a catalog's folders", "%s holds no catalog",
                              place);
    return root ? TA_OK : why->status;
}

/* Changes the list: PLACE goes out, and in again where it is wanted. */
static enum ta_status change_places(struct ta_context *context, struct arena *arena, const char *place,
                                    enum ta_place_change change, struct ta_report *report, struct ta_problem *why) {
    struct offers offers = {0};
    struct ta_problem silent = {0};
    struct texts places;
    enum ta_status status =
        arena ? places_read(context, arena, &places, why) : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (!status && change != TA_PLACE_FORGET)
        status = check_place(context, place, why);
    if (status)
        return status;
    bool was = without(arena, &places, place);
    if (!places.items)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (change == TA_PLACE_FORGET && !was)
        return ta_problem_set(why, TA_E_INPUT, "tanchor catalog places lists them", "%s is none of the catalogs",
                              place);
    if (change == TA_PLACE_FIRST)
        memmove(places.items + 1, places.items, places.count * sizeof *places.items);
    if (change != TA_PLACE_FORGET)
        places.items[change == TA_PLACE_FIRST ? 0 : places.count] = place;
    places.count += change != TA_PLACE_FORGET;
    g_autofree char *file = places_file(context);
    status = folder_make(context->home, why);
    if (!status)
        status = catalogs_write(file, &(struct catalogs){places}, why);
    if (!status)
        report_places(context, report, &places);
    if (!status && change != TA_PLACE_FORGET && place_is_depot(place))
        status = depot_offers(context, &(struct offer_query){0}, arena, &offers, &silent, why);
    if (silent.status)
        report_add(report, TA_LEVEL_WARNING, "depot", silent.fix, "%s", silent.what);
    if (!status && offers.count)
        report_add(report, TA_LEVEL_OK, "offered", NULL, "%zu package%s by depots", offers.count,
                   offers.count == 1 ? "" : "s");
    return status;
}

enum ta_status ta_catalog_place(struct ta_context *context, const char *place, enum ta_place_change change,
                                struct ta_report *report, struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    struct arena *arena = arena_new();
    g_autofree char *kept = kept_place(place);
    enum ta_status status = change_places(context, arena, kept, change, report, why);
    arena_free(arena);
    if (!status)
        report_next(report, "tanchor catalog");
    report_took(report, start);
    return status;
}

enum ta_status ta_catalog_places(struct ta_context *context, struct ta_report *report, struct ta_problem *why) {
    struct arena *arena = arena_new();
    struct texts places;
    enum ta_status status =
        arena ? places_read(context, arena, &places, why) : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (!status) {
        report_title(report, "the catalogs, in the order in which they are asked");
        report_places(context, report, &places);
        report_next(report, "tanchor catalog use PLACE adds one, tanchor catalog forget PLACE takes one away");
    }
    arena_free(arena);
    return status;
}
