#include "flow/context.h"

#include "host/memory.h"
#include "host/store.h"

/* Steps. */

struct step step_begin(struct ta_context *context, struct ta_report *report) {
    if (!context->depth++) {
        context->arena = arena_or_end();
        if (report)
            report_clear(report);
    }
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
    context->port_kinds = g_array_new(FALSE, FALSE, sizeof(struct ta_port_kind));
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
    for (guint i = 0; i < context->port_kinds->len; ++i)
        ta_context_add_port(other, &g_array_index(context->port_kinds, struct ta_port_kind, i), NULL);
    return other;
}

void ta_context_free(struct ta_context *context) {
    if (!context)
        return;
    store_close(context->store);
    arena_free(context->arena);
    g_array_unref(context->port_kinds);
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

enum ta_status ta_context_add_port(struct ta_context *context, const struct ta_port_kind *kind,
                                   struct ta_problem *why) {
    struct ta_port_kind copy = {0};
    enum ta_status status = request_copy(kind, &copy, sizeof copy, why);
    if (!status && (!copy.name || !*copy.name || !copy.open))
        status =
            ta_problem_set(why, TA_E_USAGE, "fill in name and open", "a kind of port has no name, or cannot be opened");
    if (status)
        return status;
    copy.name = g_string_chunk_insert(context->texts, copy.name);
    for (guint i = 0; i < context->port_kinds->len; ++i)
        if (!strcmp(g_array_index(context->port_kinds, struct ta_port_kind, i).name, copy.name))
            g_array_remove_index(context->port_kinds, i);
    g_array_append_val(context->port_kinds, copy);
    return TA_OK;
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
