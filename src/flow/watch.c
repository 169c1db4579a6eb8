/* Watching what a project's verdict stands on. */
#include "tameanchor/watch.h"

#include "flow/builder/build.h"
#include "host/digests.h"
#include "host/monitor.h"

struct ta_watch {
    struct ta_context *context; /* its own: it is asked while other calls are under way */
    char *folder;               /* the project's */
    GHashTable *files;          /* path: SHA-256, empty for one that is not there */
    struct timespec looked;     /* when FILES were looked at last */
    struct monitor *monitor;
    struct digests *digests;
    char *saved;
    bool settled; /* what a build reads was looked for after the last change */
};

static void add_path(GPtrArray *paths, char *path) {
    g_ptr_array_add(paths, path);
}

static void add_matches(struct workspace *workspace, const char *key, const struct texts *patterns, GPtrArray *paths) {
    struct texts files;
    if (workspace_files(workspace, key, patterns, &files, NULL))
        return;
    for (size_t i = 0; i < files.count; ++i)
        add_path(paths, g_strdup(workspace_path(workspace, files.items[i])));
}

/* What a loaded project uses of the catalog and the bench. */
static void add_surroundings(struct workspace *workspace, GPtrArray *paths) {
    struct ta_context *context = workspace->context;
    const char *target = workspace->setup.target;
    const struct catalog_item *profile = catalog_newest(context, PACKAGE_BOARD, workspace->setup.profile, NULL);
    add_path(paths, target_path(context, target, "target.yaml"));
    add_path(paths, target_path(context, target, TARGET_PROFILE));
    if (profile)
        add_path(paths, g_strdup(profile->path));
    for (size_t i = 0; i < workspace->sdk.places.count; ++i) {
        add_path(paths, g_build_filename(workspace->sdk.places.items[i].value, "sdk.yaml", NULL));
        add_path(paths, g_build_filename(workspace->sdk.places.items[i].value, "component.yaml", NULL));
    }
    build_inputs(workspace, paths);
}

/* Absolute paths, some of them perhaps twice, some of files that are not there. */
static GPtrArray *find_files(struct ta_watch *watch) {
    static const char *const always[] = {"anchor.yaml", "setup.yaml", SETTINGS_FILE};
    GPtrArray *paths = g_ptr_array_new_with_free_func(g_free);
    struct step step = step_begin(watch->context, NULL);
    struct workspace workspace;
    struct ta_problem unheard;
    for (size_t i = 0; i < G_N_ELEMENTS(always); ++i)
        add_path(paths, g_build_filename(watch->folder, always[i], NULL));
    if (!workspace_open(watch->context, watch->folder, NULL, &workspace, &unheard)) {
        add_matches(&workspace, "sources", &workspace.project.sources, paths);
        for (size_t i = 0; i < workspace.project.image_count; ++i)
            add_matches(&workspace, "sources", &workspace.project.images[i].sources, paths);
        add_matches(&workspace, "assets", &workspace.project.assets, paths);
        add_matches(&workspace, "trials", &workspace.project.trials, paths);
        if (workspace.configured && !workspace_load(&workspace, &unheard))
            add_surroundings(&workspace, paths);
    }
    step_end(&step, TA_OK);
    return paths;
}

/* New files may come anywhere in the project but in what the tool itself writes. */
static void watch_folders(struct ta_watch *watch, const char *folder) {
    static const char *const own[] = {"out", ".tanchor", ".git"};
    g_autoptr(GDir) entries = g_dir_open(folder, 0, NULL);
    const char *name;
    monitor_add(watch->monitor, folder);
    while (entries && (name = g_dir_read_name(entries))) {
        g_autofree char *below = g_build_filename(folder, name, NULL);
        bool skipped = g_file_test(below, G_FILE_TEST_IS_SYMLINK) || !g_file_test(below, G_FILE_TEST_IS_DIR);
        for (size_t i = 0; i < G_N_ELEMENTS(own); ++i)
            skipped = skipped || (!strcmp(name, own[i]) && !strcmp(folder, watch->folder));
        if (!skipped)
            watch_folders(watch, below);
    }
}

/* Looks at PATH; true when it has changed since the last look. A file that is new among them has changed when it was saved since: the
   last build has found that it is read. */
static bool look_at(struct ta_watch *watch, const char *path, bool first) {
    const char *digest = digests_of(watch->digests, path);
    g_autofree char *now = g_strndup(digest ? digest : "", SHA256_TEXT_BYTES - 1);
    const char *before = g_hash_table_lookup(watch->files, path);
    bool changed = before ? strcmp(before, now) != 0 : *now && file_saved_since(path, &watch->looked);
    if (!before) {
        g_autofree char *folder = g_path_get_dirname(path);
        monitor_add(watch->monitor, folder);
    }
    if (!before || changed)
        g_hash_table_replace(watch->files, g_strdup(path), g_strdup(now));
    return changed && !first;
}

static void look_at_all(struct ta_watch *watch, const GPtrArray *paths, bool first) {
    for (guint i = 0; i < paths->len; ++i)
        if (look_at(watch, paths->pdata[i], first) && !watch->saved)
            watch->saved = g_strdup(paths->pdata[i]);
}

/* Those that were known before, also when a broken manifest no longer names them. */
static void look_at_known(struct ta_watch *watch) {
    g_autoptr(GPtrArray) known = g_ptr_array_new_with_free_func(g_free);
    GHashTableIter each;
    gpointer path;
    g_hash_table_iter_init(&each, watch->files);
    while (g_hash_table_iter_next(&each, &path, NULL))
        g_ptr_array_add(known, g_strdup(path));
    look_at_all(watch, known, false);
}

/* When a file that was known has changed, which others there are can wait until what follows from that is done. */
static void look(struct ta_watch *watch, bool first) {
    struct timespec now;
    clock_gettime(CLOCK_REALTIME_COARSE, &now);
    g_clear_pointer(&watch->saved, g_free);
    look_at_known(watch);
    if (!watch->saved) {
        watch_folders(watch, watch->folder);
        g_autoptr(GPtrArray) paths = find_files(watch);
        look_at_all(watch, paths, first);
        watch->looked = now;
    }
}

enum ta_status ta_watch_new(const struct ta_context *context, const char *folder, struct ta_watch **result,
                            struct ta_problem *why) {
    struct ta_watch *watch = g_new0(struct ta_watch, 1);
    struct workspace workspace;
    *result = NULL;
    watch->context = context_with_home(context, context->home);
    struct step step = step_begin(watch->context, NULL);
    enum ta_status status = workspace_open(watch->context, folder, NULL, &workspace, why);
    if (!status)
        watch->folder = g_strdup(workspace.folder);
    step_end(&step, status);
    watch->monitor = monitor_new();
    watch->digests = digests_open(NULL);
    watch->files = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    if (status) {
        ta_watch_free(watch);
        return status;
    }
    look(watch, true);
    *result = watch;
    return TA_OK;
}

void ta_watch_free(struct ta_watch *watch) {
    if (!watch)
        return;
    ta_context_free(watch->context);
    monitor_free(watch->monitor);
    digests_close(watch->digests);
    g_hash_table_unref(watch->files);
    g_free(watch->folder);
    g_free(watch->saved);
    g_free(watch);
}

/* After a change, the next build may read other files than the last one did: they are looked for before anything is waited for. */
const char *ta_watch_saved(struct ta_watch *watch, unsigned timeout_ms) {
    if (!watch->settled) {
        look(watch, false);
        watch->settled = !watch->saved;
        if (watch->saved)
            return watch->saved;
    }
    if (!monitor_saved(watch->monitor, timeout_ms))
        return NULL;
    look(watch, false);
    watch->settled = !watch->saved;
    return watch->saved;
}
