#include "flow/catalog/catalog.h"

#include "flow/store.h"
#include "host/growing.h"
#include "host/model_files.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <unistd.h>

const char place_bundled[] = "bundled";

bool place_is_depot(const char *place) {
    return g_str_has_prefix(place, "http://") || g_str_has_prefix(place, "https://");
}

char *place_kept(const char *place) {
    if (!strcmp(place, place_bundled))
        return g_strdup(place);
    if (!place_is_depot(place))
        return g_canonicalize_filename(place, NULL);
    size_t length = strlen(place);
    while (length && place[length - 1] == '/')
        --length;
    return g_strndup(place, length);
}

static bool add_place_row(void *with, const struct store_row *row) {
    g_ptr_array_add(with, g_strdup(store_text(row, 0)));
    return true;
}

/* What stands there when nothing was set: what an earlier version wrote down, or the bundled catalog. */
static enum ta_status places_unset(const struct ta_context *context, struct texts *places, struct ta_problem *why) {
    static const char *bundled[] = {place_bundled};
    g_autofree char *file = g_build_filename(context->home, "catalogs.yaml", NULL);
    *places = (struct texts){bundled, 1};
    return g_file_test(file, G_FILE_TEST_EXISTS) ? texts_read(file, file, context->arena, places, why) : TA_OK;
}

enum ta_status places_read(struct ta_context *context, struct texts *places, struct ta_problem *why) {
    g_autoptr(GPtrArray) found = g_ptr_array_new_with_free_func(g_free);
    struct store *store;
    enum ta_status status = context_store(context, &store, why);
    if (!status)
        status = store_each(store, add_place_row, found, why, "SELECT place FROM place ORDER BY position", "");
    if (!status && !found->len)
        return places_unset(context, places, why);
    *places = (struct texts){arena_alloc(context->arena, (found->len + 1) * sizeof(char *)), found->len};
    for (guint i = 0; i < found->len; ++i)
        places->items[i] = arena_text(context->arena, found->pdata[i]);
    return status;
}

static bool count_row(void *with, const struct store_row *row) {
    *(int64_t *)with = store_number(row, 0);
    return false;
}

static enum ta_status change(struct ta_context *context, struct store *store, const char *place, bool wanted,
                             bool first, struct ta_problem *why) {
    int64_t count = 0, known = 0;
    enum ta_status status = store_each(store, count_row, &count, why, "SELECT count(*) FROM place", "");
    struct texts unset = {0};
    if (!status && !count)
        status = places_unset(context, &unset, why);
    for (size_t i = 0; !status && i < unset.count; ++i)
        status = store_run(store, why, "INSERT INTO place VALUES (?, ?)", "is", (int64_t)i, unset.items[i]);
    if (!status)
        status = store_each(store, count_row, &known, why, "SELECT count(*) FROM place WHERE place = ?", "s", place);
    if (!status && !wanted && !known)
        return ta_problem_set(why, TA_E_INPUT, "{places} lists them", "%s is not one of the places", place);
    if (!status)
        status = store_run(store, why, "DELETE FROM place WHERE place = ?", "s", place);
    if (!status && !wanted)
        status = store_each(store, count_row, &count, why, "SELECT count(*) FROM place", "");
    if (!status && !wanted && !count)
        return ta_problem_set(why, TA_E_NO, "{use PLACE} first", "%s is the only place", place);
    if (!status) /* its index is asked for anew */
        status = store_run(store, why, "DELETE FROM depot WHERE place = ?", "s", place);
    if (!status && wanted)
        status = store_run(store, why,
                           first ? "INSERT INTO place SELECT coalesce(min(position), 0) - 1, ? FROM place"
                                 : "INSERT INTO place SELECT coalesce(max(position), 0) + 1, ? FROM place",
                           "s", place);
    return status;
}

enum ta_status places_change(struct ta_context *context, const char *place, bool wanted, bool first,
                             struct ta_problem *why) {
    struct store *store;
    enum ta_status status = context_store_made(context, &store, why);
    if (!status)
        status = store_begin(store, why);
    if (status)
        return status;
    context->snapshot = NULL;
    return store_end(store, change(context, store, place, wanted, first, why), why);
}

/* Archives. */

/* The folder below FOLDER that has the catalog's shape: itself or the one folder in it; null when there is none. */
static char *catalog_root(const char *folder) {
    static const char *const patterns[] = {"profiles/*.yaml", "sdk/*/sdk.yaml", "examples/*/anchor.yaml",
                                           "components/*/component.yaml", "platforms/*/platform.yaml"};
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
static char *unpacked_archive(struct ta_context *context, const char *path, struct ta_problem *why) {
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
    struct growing growing = {0};
    const struct file_watch watch = context_watch(context, NULL, NULL);
    struct archive_limits limits;
    if (!g_file_test(folder, G_FILE_TEST_IS_DIR)) {
        bool good = !growing_begin(above, &growing, why) && !context_limits(context, &limits, why) &&
                    !archive_unpack(path, growing.content, &limits, &watch, &files, why);
        bool placed = good && !g_rename(growing.content, folder);
        growing_end(&growing);
        if (!placed && !g_file_test(folder, G_FILE_TEST_IS_DIR)) /* which another process may have placed */
            return NULL;
    }
    char *root = catalog_root(folder);
    if (!root)
        ta_problem_set(why, TA_E_INPUT, "docs/formats.md shows a catalog's folders", "%s holds no catalog", path);
    return root;
}

/* Folders. */

static void add_place(struct ta_context *context, const char *place, GPtrArray *folders, struct ta_report *report) {
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

GPtrArray *places_folders(struct ta_context *context, struct ta_report *report) {
    GPtrArray *folders = g_ptr_array_new_with_free_func(g_free);
    struct texts places = {0};
    struct ta_problem why = {0};
    if (places_read(context, &places, &why) && report)
        report_problem(report, "catalogs", &why);
    for (size_t i = 0; i < places.count; ++i)
        if (!place_is_depot(places.items[i]))
            add_place(context, places.items[i], folders, report);
    return folders;
}

enum ta_status place_check(struct ta_context *context, const char *place, struct ta_problem *why) {
    if (place_is_depot(place) || !strcmp(place, place_bundled))
        return TA_OK;
    if (!g_file_test(place, G_FILE_TEST_EXISTS))
        return ta_problem_set(why, TA_E_INPUT, "name a folder, an archive, or a depot's http:// address",
                              "%s does not exist", place);
    if (!g_file_test(place, G_FILE_TEST_IS_DIR)) {
        struct ta_problem found = {0};
        g_autofree char *unpacked = unpacked_archive(context, place, &found);
        return unpacked ? TA_OK : ta_problem_copy(why, &found);
    }
    g_autofree char *root = catalog_root(place);
    return root ? TA_OK
                : ta_problem_set(why, TA_E_INPUT, "docs/formats.md shows a catalog's folders", "%s holds no catalog",
                                 place);
}
