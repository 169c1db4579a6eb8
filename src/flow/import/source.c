#include "flow/import/import.h"

#include "flow/durations.h"
#include "flow/setup/setup.h"
#include "host/git.h"
#include "host/inside.h"

#include <stdlib.h>

char *source_name(const char *source) {
    static const char *const endings[] = {".git", ".zip", ".tgz", ".gz", ".xz", ".zst", ".tar"};
    g_autofree char *full = strchr(source, ':') ? g_strdup(source) : g_canonicalize_filename(source, NULL);
    char *name = g_path_get_basename(full);
    for (size_t i = 0; i < G_N_ELEMENTS(endings); ++i)
        if (g_str_has_suffix(name, endings[i]))
            name[strlen(name) - strlen(endings[i])] = '\0';
    name[strcspn(name, "@")] = '\0'; /* an example's version */
    return name;
}

/* Bringing. */

static enum ta_status clone_repository(struct ta_context *context, const struct ta_import *request, const char *staging,
                                       struct source *source, struct ta_problem *why) {
    g_autofree char *shown = git_shown(request->source), *key = g_strconcat("clone ", shown, NULL), *commit = NULL;
    const struct git_clone clone = {.source = request->source,
                                    .ref = request->ref,
                                    .to = staging,
                                    .patience_s = context_seconds(context, PATIENCE_S),
                                    .limit_s = context_seconds(context, TRANSFER_S),
                                    .cancelled = context_cancelled,
                                    .with = context};
    struct duration_watch duration;
    duration_start(&duration, context, "cloning", key, 0, 0);
    enum ta_status status = git_clone(&clone, &commit, why);
    if (!status) {
        source->about = g_strdup_printf("%s at %s", shown, commit);
        duration_end(&duration, 0);
    }
    source->root = g_strdup(staging);
    source->staged = true;
    return status;
}

static enum ta_status unpack(struct ta_context *context, const char *archive, const char *staging,
                             struct source *source, struct ta_problem *why) {
    struct duration_watch duration;
    struct archive_limits limits;
    unsigned files;
    uint64_t size = file_size(archive);
    source->root = g_strdup(staging);
    source->about = g_strdup(archive);
    source->staged = true;
    duration_start(&duration, context, "unpacking", "unpack", 0, size);
    const struct file_watch watch = context_watch(context, duration_progress, &duration);
    enum ta_status status = context_limits(context, &limits, why);
    if (!status)
        status = archive_unpack(archive, staging, &limits, &watch, &files, why);
    if (!status)
        duration_end(&duration, size);
    return status;
}

static enum ta_status take_folder(const char *folder, struct source *source) {
    source->root = g_canonicalize_filename(folder, NULL);
    source->about = g_strdup(folder);
    return TA_OK;
}

/* An example that is here; else one that a depot offers, once it was fetched. */
static enum ta_status take_example(struct ta_context *context, const char *asked, struct source *source,
                                   struct ta_report *report, struct ta_problem *why) {
    g_autofree char *version = NULL;
    g_autofree char *name = catalog_split(asked, &version);
    struct ta_problem unoffered = {0};
    struct catalog_item *item = NULL;
    enum ta_status status = catalog_need(context, PACKAGE_EXAMPLE, name, version, &item, why);
    if (status == TA_E_INPUT) {
        bool offered;
        enum ta_status supplied = supply_example(context, name, version, &offered, report, &unoffered);
        if (!offered)
            return status; /* the catalog's own words, with the names that are near */
        status = supplied ? ta_problem_copy(why, &unoffered)
                          : catalog_need(context, PACKAGE_EXAMPLE, name, version, &item, why);
    }
    if (status)
        return status;
    source->root = g_strdup(item->path);
    source->about = g_strdup_printf("the catalog's example %s", name);
    source->is_example = true;
    return TA_OK;
}

/* A path is what lies there; a bare name is an example first. */
static enum ta_status bring(struct ta_context *context, const struct ta_import *request, const char *staging,
                            struct source *source, struct ta_report *report, struct ta_problem *why) {
    const char *name = request->source;
    bool is_path = strchr(name, '/') || name[0] == '.', is_folder = g_file_test(name, G_FILE_TEST_IS_DIR);
    if (git_is_address(name) || (is_folder && request->ref))
        return clone_repository(context, request, staging, source, why);
    if (request->ref)
        return ta_problem_set(why, TA_E_USAGE, "leave it out", "{option ref} goes with a repository, which %s is not",
                              name);
    if (archive_is_named(name))
        return unpack(context, name, staging, source, why);
    if (is_folder && (is_path || request->in_place))
        return take_folder(name, source);
    if (is_path)
        return g_file_test(name, G_FILE_TEST_EXISTS)
                   ? ta_problem_set(why, TA_E_INPUT,
                                    "name a folder, or a .zip, .tar, .tar.gz, .tar.xz or .tar.zst archive",
                                    "%s is neither a folder nor an archive", name)
                   : ta_problem_set(why, TA_E_INPUT, "check the path", "%s does not exist", name);
    if (!is_folder)
        return take_example(context, name, source, report, why);
    return catalog_newest(context, PACKAGE_EXAMPLE, name, NULL) ? take_example(context, name, source, report, why)
                                                                : take_folder(name, source);
}

/* Finding the project. */

static bool has_manifest(const char *folder) {
    g_autofree char *manifest = g_build_filename(folder, "anchor.yaml", NULL);
    return g_file_test(manifest, G_FILE_TEST_IS_REGULAR);
}

/* To the folder that BELOW leads to, which is never a link: it may be moved. */
static void descend(struct source *source, const char *below) {
    g_autofree char *joined = g_build_filename(source->root, below, NULL), *real = realpath(joined, NULL);
    g_free(source->root);
    source->root = g_strdup(real ? real : joined);
}

/* The folder above FOLDER that is a project, or null. */
static char *project_above(const char *folder) {
    g_autofree char *at = g_path_get_dirname(folder);
    for (int level = 0; level < 2 && strlen(at) > 1; ++level) {
        if (has_manifest(at))
            return g_steal_pointer(&at);
        char *above = g_path_get_dirname(at);
        g_free(at);
        at = above;
    }
    return NULL;
}

/* One or two levels down: the only one is taken, of several none. */
static enum ta_status find_below(struct source *source, const char *name, struct ta_problem *why) {
    static const char *const patterns[] = {"*/anchor.yaml", "*/*/anchor.yaml"};
    g_autoptr(GPtrArray) found = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *root = realpath(source->root, NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(patterns); ++i) {
        g_auto(GStrv) files = files_match(source->root, patterns[i]);
        for (char **file = files; *file; ++file) {
            char *below = g_path_get_dirname(*file);
            g_autofree char *full = g_build_filename(source->root, below, NULL), *real = realpath(full, NULL);
            g_autofree char *wanted = root ? g_build_filename(root, below, NULL) : NULL;
            if (real && wanted && !strcmp(real, wanted)) /* through a link, it is found where it lies */
                g_ptr_array_add(found, below);
            else
                g_free(below);
        }
    }
    source->has_manifest = found->len == 1;
    if (found->len == 1)
        descend(source, found->pdata[0]);
    if (found->len < 2)
        return TA_OK;
    g_ptr_array_add(found, NULL);
    g_autofree char *all = g_strjoinv(", ", (char **)found->pdata);
    g_autofree char *fix = g_strdup_printf("choose one with {option subfolder}: %s", all);
    return ta_problem_set(why, TA_E_INPUT, fix, "%s holds %u projects", name, found->len - 1);
}

static enum ta_status find_project(const struct ta_import *request, struct source *source, struct ta_problem *why) {
    if (request->subfolder) {
        g_autofree char *shown = git_shown(request->source);
        if (inside_look(source->root, request->subfolder) != INSIDE_FOLDER)
            return ta_problem_set(why, TA_E_INPUT, "check {option subfolder}", "%s has no folder %s", shown,
                                  request->subfolder);
        descend(source, request->subfolder);
    }
    source->has_manifest = has_manifest(source->root);
    if (source->has_manifest)
        return TA_OK;
    g_autofree char *above = source->staged ? NULL : project_above(source->root);
    if (above)
        return ta_problem_set(why, TA_E_INPUT, above, "%s is inside a project; import the whole of it",
                              request->source);
    g_autofree char *shown = git_shown(request->source);
    return find_below(source, shown, why);
}

enum ta_status source_open(struct ta_context *context, const struct ta_import *request, const char *staging,
                           struct source *source, struct ta_report *report, struct ta_problem *why) {
    *source = (struct source){0};
    enum ta_status status = bring(context, request, staging, source, report, why);
    source->name = source_name(request->subfolder ? request->subfolder : request->source);
    return status ? status : find_project(request, source, why);
}

void source_close(struct source *source) {
    g_free(source->root);
    g_free(source->about);
    g_free(source->name);
    *source = (struct source){0};
}
