#include "flow/context.h"

#include "host/memory.h"
#include "host/model_files.h"
#include "host/store.h"

/* Steps. */

struct step step_begin(struct ta_context *context, struct ta_report *report) {
    if (!context->depth++)
        context->arena = arena_or_end();
    return (struct step){context, report, g_get_monotonic_time()};
}

enum ta_status step_end(const struct step *step, enum ta_status status) {
    struct ta_context *context = step->context;
    if (step->report)
        report_took(step->report, (double)(g_get_monotonic_time() - step->start_us) / 1e6);
    if (!--context->depth) {
        arena_free(context->arena);
        context->arena = NULL;
        context->snapshot = NULL;
    }
    return status;
}

enum ta_status request_copy(const void *given, void *copy, size_t size, struct ta_problem *why) {
    size_t said;
    memcpy(&said, given, sizeof said);
    if (said < sizeof said || said > 65536)
        return ta_problem_set(why, TA_E_USAGE, "begin it with its sizeof", "the request does not say its size");
    memcpy(copy, given, MIN(said, size));
    return TA_OK;
}

/* Talking to the caller. */

bool context_cancelled(void *context) {
    const struct ta_callbacks *call = &((const struct ta_context *)context)->call;
    return call->cancelled && call->cancelled(call->with);
}

void context_progress(const struct ta_context *context, struct ta_progress progress) {
    progress.size_bytes = sizeof progress;
    if (context->call.progress)
        context->call.progress(context->call.with, &progress);
}

void context_doing(const struct ta_context *context, const char *what, uint64_t done, uint64_t total) {
    context_progress(context, (struct ta_progress){.what = what, .done = done, .total = total});
}

struct file_watch context_watch(const struct ta_context *context, void (*progress)(void *, uint64_t, uint64_t),
                                void *with) {
    return (struct file_watch){
        .cancelled = context_cancelled, .cancelled_with = (void *)context, .progress = progress, .progress_with = with};
}

/* Preferences. */

enum ta_status context_preferences(const struct ta_context *context, struct preferences *preferences,
                                   struct ta_problem *why) {
    g_autofree char *file = g_build_filename(context->home, "preferences.yaml", NULL);
    *preferences = (struct preferences){0};
    return g_file_test(file, G_FILE_TEST_EXISTS) ? preferences_read(file, file, context->arena, preferences, why)
                                                 : TA_OK;
}

unsigned context_seconds(const struct ta_context *context, enum limit limit) {
    static const struct {
        size_t offset;
        unsigned otherwise;
    } limits[] = {[PATIENCE_S] = {offsetof(struct preferences, patience_s), 15},
                  [TRANSFER_S] = {offsetof(struct preferences, transfer_s), 900},
                  [TRIAL_S] = {offsetof(struct preferences, trial_s), 120},
                  [COMPILE_S] = {offsetof(struct preferences, compile_s), 600}};
    struct preferences preferences;
    enum ta_status status = context_preferences(context, &preferences, NULL);
    unsigned said = *(const unsigned *)(const void *)((const char *)&preferences + limits[limit].offset);
    return status || !said ? limits[limit].otherwise : said;
}

static void tell_waiting(void *with, const char *who) {
    g_autofree char *what = g_strdup_printf("waiting: %s is at work here", who);
    context_doing(with, what, 0, 0);
}

enum ta_status context_lock(struct ta_context *context, const char *folder, const char *what, const char *doing,
                            struct lock *lock, struct ta_problem *why) {
    g_autofree char *path = g_build_filename(folder, ".lock", NULL);
    *lock = (struct lock){0};
    enum ta_status status = folder_make(folder, why);
    return status ? status
                  : lock_take(path, what, doing, context_seconds(context, PATIENCE_S), context_cancelled, tell_waiting,
                              context, lock, why);
}

enum ta_status context_limits(const struct ta_context *context, struct archive_limits *limits, struct ta_problem *why) {
    struct preferences preferences;
    enum ta_status status = context_preferences(context, &preferences, why);
    *limits = archive_limits_default;
    if (preferences.archive_bytes)
        limits->bytes = preferences.archive_bytes;
    if (preferences.archive_files)
        limits->files = preferences.archive_files;
    if (preferences.archive_ratio)
        limits->ratio = preferences.archive_ratio;
    return status;
}

/* Making one. */

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

/* The folders of NAMED, joined by ":", made absolute; all must be there. */
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

static void set_home(struct ta_context *context, const char *home) {
    g_autofree char *data =
        home ? g_canonicalize_filename(home, NULL) : g_build_filename(g_get_user_data_dir(), "tameanchor", NULL);
    g_autofree char *cache =
        home ? g_build_filename(data, "cache", NULL) : g_build_filename(g_get_user_cache_dir(), "tameanchor", NULL);
    store_close(context->store);
    context->store = NULL;
    context->home = g_string_chunk_insert(context->texts, data);
    context->cache = g_string_chunk_insert(context->texts, cache);
}

static struct ta_context *make_context(const char *catalog, const char *home) {
    struct ta_context *context = g_new0(struct ta_context, 1);
    context->texts = g_string_chunk_new(256);
    context->catalog = g_string_chunk_insert(context->texts, catalog);
    set_home(context, home);
    return context;
}

enum ta_status ta_context_new(struct ta_context **context, struct ta_problem *why) {
    const char *home = g_getenv("TANCHOR_HOME"), *named = g_getenv("TANCHOR_CATALOG");
    g_autofree char *catalog = named && *named ? NULL : find_catalog();
    enum ta_status status = named && *named ? read_catalogs(named, &catalog, why) : TA_OK;
    *context = NULL;
    if (!status && !catalog)
        status = ta_problem_set(why, TA_E_SYSTEM, "set TANCHOR_CATALOG to its folder",
                                "the bundled catalog is not to be found");
    if (!status)
        *context = make_context(catalog, home && *home ? home : NULL);
    return status;
}

struct ta_context *context_with_home(const struct ta_context *context, const char *home) {
    struct ta_context *other = make_context(context->catalog, home);
    other->call = context->call;
    return other;
}

void ta_context_free(struct ta_context *context) {
    if (!context)
        return;
    store_close(context->store);
    arena_free(context->arena);
    g_string_chunk_free(context->texts);
    g_free(context);
}

enum ta_status ta_context_listen(struct ta_context *context, const struct ta_callbacks *callbacks,
                                 struct ta_problem *why) {
    struct ta_callbacks copy = {0};
    enum ta_status status = request_copy(callbacks, &copy, sizeof copy, why);
    if (!status)
        context->call = copy;
    return status;
}

enum ta_status ta_context_set(struct ta_context *context, const char *catalog, const char *home,
                              struct ta_problem *why) {
    g_autofree char *folders = NULL;
    enum ta_status status = catalog ? read_catalogs(catalog, &folders, why) : TA_OK;
    if (!status && catalog)
        context->catalog = g_string_chunk_insert(context->texts, folders);
    if (!status && home)
        set_home(context, home);
    return status;
}

const char *ta_context_home(const struct ta_context *context) {
    return context->home;
}
