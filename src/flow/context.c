/* Where the catalog, the bench and the cache are. */
#include "tameanchor/chain.h"

#include "flow/context.h"
#include "host/model_files.h"

#include <gio/gio.h>

/* The public context first. */
struct full_context {
    struct ta_context context;
    GStringChunk *texts;
};

bool context_cancelled(void *context) {
    const struct ta_context *asked = context;
    return asked->cancelled && asked->cancelled(asked->with);
}

void context_progress(const struct ta_context *context, const struct ta_progress *progress) {
    if (context->progress)
        context->progress(context->with, progress);
}

void context_doing(const struct ta_context *context, const char *what, uint64_t done, uint64_t total) {
    context_progress(context, &(struct ta_progress){.what = what, .done = done, .total = total});
}

struct file_watch context_watch(const struct ta_context *context, void (*progress)(void *, uint64_t, uint64_t),
                                void *with) {
    return (struct file_watch){
        .cancelled = context_cancelled, .cancelled_with = (void *)context, .progress = progress, .progress_with = with};
}

enum ta_status context_preferences(const struct ta_context *context, struct arena *arena,
                                   struct preferences *preferences, struct ta_problem *why) {
    g_autofree char *file = g_build_filename(context->home, "preferences.yaml", NULL);
    *preferences = (struct preferences){0};
    return g_file_test(file, G_FILE_TEST_EXISTS) ? preferences_read(file, arena, preferences, why) : TA_OK;
}

/* Only its numbers: the texts would need an arena that stays. */
static enum ta_status read_preferences(const struct ta_context *context, struct preferences *preferences,
                                       struct ta_problem *why) {
    struct arena *arena = arena_new();
    enum ta_status status = arena ? context_preferences(context, arena, preferences, why)
                                  : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    arena_free(arena);
    preferences->compilers = (struct texts){0};
    return status;
}

unsigned context_patience_s(const struct ta_context *context) {
    enum { PATIENCE_S = 15 };
    struct preferences preferences;
    return read_preferences(context, &preferences, NULL) || !preferences.patience_s ? PATIENCE_S
                                                                                    : preferences.patience_s;
}

enum ta_status context_limits(const struct ta_context *context, struct archive_limits *limits, struct ta_problem *why) {
    struct preferences preferences;
    enum ta_status status = read_preferences(context, &preferences, why);
    *limits = archive_limits_default;
    if (preferences.archive_bytes)
        limits->bytes = preferences.archive_bytes;
    if (preferences.archive_files)
        limits->files = preferences.archive_files;
    if (preferences.archive_ratio)
        limits->ratio = preferences.archive_ratio;
    return status;
}

/* Beside the program as it was built, then as it is installed, then where the build put it; null when it is nowhere. */
static char *find_catalog(void) {
    g_autofree char *program = g_file_read_link("/proc/self/exe", NULL);
    g_autofree char *folder = program ? g_path_get_dirname(program) : g_strdup(".");
    const char *const places[] = {"../catalog", "../share/tameanchor/catalog", TA_CATALOG_INSTALLED, TA_CATALOG_SOURCE};
    for (size_t i = 0; i < G_N_ELEMENTS(places); ++i) {
        g_autofree char *place = g_canonicalize_filename(places[i], folder);
        g_autofree char *profiles = g_build_filename(place, "profiles", NULL);
        if (g_file_test(profiles, G_FILE_TEST_IS_DIR))
            return g_steal_pointer(&place);
    }
    return NULL;
}

/* The folders that TANCHOR_CATALOG names, made absolute; all must be there. */
static enum ta_status read_catalogs(const char *named, char **catalogs, struct ta_problem *why) {
    g_auto(GStrv) folders = g_strsplit(named, ":", -1);
    for (char **folder = folders; *folder; ++folder) {
        char *full = g_canonicalize_filename(*folder, NULL);
        g_free(*folder);
        *folder = full;
        if (!g_file_test(full, G_FILE_TEST_IS_DIR))
            return ta_problem_set(why, TA_E_SYSTEM, "TANCHOR_CATALOG names it", "the catalog %s is not there", full);
    }
    *catalogs = g_strjoinv(":", folders);
    return TA_OK;
}

static void set_home(struct full_context *full, const char *home) {
    g_autofree char *data =
        home ? g_canonicalize_filename(home, NULL) : g_build_filename(g_get_user_data_dir(), "tameanchor", NULL);
    g_autofree char *cache =
        home ? g_build_filename(data, "cache", NULL) : g_build_filename(g_get_user_cache_dir(), "tameanchor", NULL);
    full->context.home = g_string_chunk_insert(full->texts, data);
    full->context.cache = g_string_chunk_insert(full->texts, cache);
}

enum ta_status ta_context_new(struct ta_context **context, struct ta_problem *why) {
    const char *home = g_getenv("TANCHOR_HOME"), *named = g_getenv("TANCHOR_CATALOG");
    g_autofree char *catalog = named && *named ? NULL : find_catalog();
    enum ta_status status = named && *named ? read_catalogs(named, &catalog, why) : TA_OK;
    *context = NULL;
    if (!status && !catalog)
        status = ta_problem_set(why, TA_E_SYSTEM, "set TANCHOR_CATALOG to its folder",
                                "the bundled catalog is not to be found");
    if (status)
        return status;
    struct full_context *full = g_new0(struct full_context, 1);
    full->texts = g_string_chunk_new(256);
    full->context.catalog = g_string_chunk_insert(full->texts, catalog);
    set_home(full, home && *home ? home : NULL);
    *context = &full->context;
    return TA_OK;
}

void ta_context_free(struct ta_context *context) {
    if (!context)
        return;
    g_string_chunk_free(((struct full_context *)context)->texts);
    g_free(context);
}

enum ta_status ta_context_set(struct ta_context *context, const char *catalog, const char *home) {
    struct full_context *full = (struct full_context *)context;
    if (catalog)
        context->catalog = g_string_chunk_insert(full->texts, catalog);
    if (home)
        set_home(full, home);
    return TA_OK;
}
