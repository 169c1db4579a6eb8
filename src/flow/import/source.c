#include "flow/import/import.h"

#include "flow/durations.h"
#include "flow/setup/setup.h"
#include "host/commands.h"

static bool is_repository(const char *source) {
    static const char *const schemes[] = {"https://", "http://", "ssh://", "git://", "file://", "git@"};
    for (size_t i = 0; i < G_N_ELEMENTS(schemes); ++i)
        if (g_str_has_prefix(source, schemes[i]))
            return true;
    return g_str_has_suffix(source, ".git");
}

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

/* The real git, with nothing of the repository's run: no hooks, no submodules, no prompt. */
static enum ta_status clone_repository(struct ta_context *context, const struct ta_import *request, const char *staging,
                                       struct source *source, struct ta_problem *why) {
    const char *clone_arguments[16] = {"git",
                                       "-c",
                                       "core.hooksPath=/dev/null",
                                       "-c",
                                       "protocol.ext.allow=never",
                                       "clone",
                                       "--quiet",
                                       "--depth=1",
                                       "--no-recurse-submodules",
                                       "--single-branch"};
    size_t count = 10;
    if (request->ref) {
        clone_arguments[count++] = "--branch";
        clone_arguments[count++] = request->ref;
    }
    clone_arguments[count++] = "--";
    clone_arguments[count++] = request->source;
    clone_arguments[count++] = staging;
    const char *head_arguments[] = {"git", "-C", staging, "rev-parse", "--short=12", "HEAD", NULL};
    struct command commands[2] = {{.arguments = clone_arguments}, {.arguments = head_arguments}};
    g_autofree char *key = g_strdup_printf("clone %s", request->source);
    struct duration_watch duration;
    duration_start(&duration, context, "cloning", key, 0, 0);
    enum ta_status status = commands_run(commands, 2, 1, true, context_cancelled, context, NULL, NULL, why);
    if (!status && !commands[0].ran)
        status =
            ta_problem_set(why, TA_E_SYSTEM, "sudo apt-get install git", "git cannot be run: %s", commands[0].errors);
    if (!status && commands[0].exit_code) {
        g_auto(GStrv) lines = g_strsplit(g_strchomp(commands[0].errors), "\n", -1);
        guint last = g_strv_length(lines);
        bool no_ref = request->ref && strstr(commands[0].errors, "Remote branch");
        status = no_ref ? ta_problem_set(why, TA_E_INPUT, "git ls-remote lists its branches and tags",
                                         "%s has no branch or tag \"%s\"", request->source, request->ref)
                        : ta_problem_set(why, TA_E_SYSTEM, "check the address", "git cannot clone %s: %s",
                                         request->source, last ? lines[last - 1] : "");
    }
    if (!status) {
        g_autofree char *history = g_build_filename(staging, ".git", NULL);
        folder_remove(history);
        source->about = g_strdup_printf("%s at %s", request->source, g_strchomp(commands[1].output));
        duration_end(&duration, 0);
    }
    commands_clear(commands, 2);
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
        status = supply_example(context, name, version, report, &unoffered);
        if (status == TA_E_INPUT)
            return status; /* the catalog's own words, with the names that are near */
        status = status ? ta_problem_copy(why, &unoffered)
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
    if (is_repository(name) || (is_folder && request->ref))
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

static void descend(struct source *source, const char *below) {
    char *root = g_build_filename(source->root, below, NULL);
    g_free(source->root);
    source->root = root;
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
    for (size_t i = 0; i < G_N_ELEMENTS(patterns); ++i) {
        g_auto(GStrv) files = files_match(source->root, patterns[i]);
        for (char **file = files; *file; ++file)
            g_ptr_array_add(found, g_path_get_dirname(*file));
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
        g_autofree char *below = g_build_filename(source->root, request->subfolder, NULL);
        g_autofree char *full = g_canonicalize_filename(below, NULL);
        g_autofree char *inside = g_strconcat(source->root, "/", NULL);
        if (!g_file_test(full, G_FILE_TEST_IS_DIR) || !g_str_has_prefix(full, inside))
            return ta_problem_set(why, TA_E_INPUT, "check {option subfolder}", "%s has no folder %s", request->source,
                                  request->subfolder);
        g_free(source->root);
        source->root = g_steal_pointer(&full);
    }
    source->has_manifest = has_manifest(source->root);
    if (source->has_manifest)
        return TA_OK;
    g_autofree char *above = source->staged ? NULL : project_above(source->root);
    if (above)
        return ta_problem_set(why, TA_E_INPUT, above, "%s is inside a project; import the whole of it",
                              request->source);
    return find_below(source, request->source, why);
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
