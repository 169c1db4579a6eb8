#include "flow/project/project.h"

#include "flow/projects.h"
#include "flow/store.h"
#include "host/inside.h"
#include "host/model_files.h"

#include <stdlib.h>

static const char manifest[] = "anchor.yaml";

/* What we write to in a project, and what we read of it whatever its manifest says. */
static const char *const own_folders[] = {"out", ".tanchor"}, *const own_files[] = {manifest, "setup.yaml",
                                                                                    SETTINGS_FILE};

/* The folder at or above FOLDER that holds a manifest, or null. */
static char *find_project(const char *folder) {
    for (g_autofree char *at = g_canonicalize_filename(folder, NULL);;) {
        g_autofree char *file = g_build_filename(at, manifest, NULL);
        if (g_file_test(file, G_FILE_TEST_IS_REGULAR))
            return g_steal_pointer(&at);
        char *above = g_path_get_dirname(at);
        bool top = !strcmp(above, at);
        g_free(at);
        at = above;
        if (top)
            return NULL;
    }
}

/* The wrong folder is one or two levels off more often than not: say where the projects are. */
static enum ta_status no_project(const char *folder, struct ta_problem *why) {
    static const char *const patterns[] = {"*/anchor.yaml", "*/*/anchor.yaml"};
    g_autoptr(GString) found = g_string_new(NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(patterns) && !found->len; ++i) {
        g_auto(GStrv) files = files_match(folder, patterns[i]);
        for (char **file = files; *file; ++file)
            g_string_append_printf(found, "%s%.*s", found->len ? ", " : "there is a project in ",
                                   (int)(strlen(*file) - strlen(manifest) - 1), *file);
    }
    return ta_problem_set(why, TA_E_INPUT,
                          found->len ? found->str : "{list} lists examples, {import EXAMPLE} makes a project of one",
                          "%s has no anchor.yaml", strcmp(folder, ".") ? folder : "this folder");
}

void workspace_leave(struct workspace *workspace) {
    lock_release(&workspace->lock);
}

enum ta_status workspace_open(struct ta_context *context, const char *folder, const char *doing,
                              struct workspace *workspace, struct ta_problem *why) {
    enum { SETUP_BYTES = 1 << 20 };
    *workspace = (struct workspace){.context = context};
    g_autofree char *found = find_project(folder), *text = NULL, *here = g_canonicalize_filename(".", NULL);
    if (!found)
        return no_project(folder, why);
    bool is_here = !strcmp(here, found);
    size_t length = 0;
    workspace->folder = arena_text(context->arena, found);
    workspace->manifest_name = is_here ? manifest : workspace_path(workspace, manifest);
    for (size_t i = 0; i < G_N_ELEMENTS(own_files); ++i)
        if (inside_look(found, own_files[i]) == OUTSIDE && !project_is_in_place(context, found))
            return ta_problem_set(why, TA_E_INPUT, "{import-in-place .} lets it read what lies outside",
                                  "%s/%s leads out of the project", found, own_files[i]);
    enum ta_status status = project_read(workspace_path(workspace, manifest), workspace->manifest_name, context->arena,
                                         &workspace->project, why);
    for (size_t i = 0; !status && doing && i < G_N_ELEMENTS(own_folders); ++i)
        status = inside_check_own(workspace->folder, own_folders[i], why);
    if (!status && doing)
        status = context_lock(context, workspace_path(workspace, ".tanchor/.lock"), workspace->folder, doing,
                              context_seconds(context, PATIENCE_S), &workspace->lock, why);
    const char *setup = workspace_path(workspace, "setup.yaml");
    if (status || !g_file_test(setup, G_FILE_TEST_EXISTS))
        return status;
    status = file_read(setup, SETUP_BYTES, &text, &length, why);
    if (!status)
        status = setup_parse(text, length, is_here ? "setup.yaml" : setup, context->arena, &workspace->setup, why);
    workspace->setup_text = status ? NULL : arena_text(context->arena, text);
    workspace->configured = !status;
    if (!status)
        layout_make(context->arena, &workspace->setup, &workspace->project, &workspace->layout);
    return status;
}

const char *workspace_path(struct workspace *workspace, const char *below) {
    return arena_join(workspace->context->arena, workspace->folder, "/", below);
}

enum ta_status workspace_is_configured(const struct workspace *workspace, struct ta_problem *why) {
    return workspace->configured
               ? TA_OK
               : ta_problem_set(why, TA_E_NO, "{configure}", "%s is not configured yet", workspace->project.project);
}

enum ta_status workspace_load(struct workspace *workspace, struct ta_problem *why) {
    const struct setup *setup = &workspace->setup;
    enum ta_status status = workspace_is_configured(workspace, why);
    if (!status)
        status = catalog_sdk(workspace->context, setup->sdk, setup->sdk_version, &setup->components, &workspace->sdk,
                             &workspace->sdk_folder, why);
    if (!status)
        workspace->target_made_of = target_made_of(workspace->context, setup->target);
    return status ? status : board_of_setup(workspace->context, setup, &workspace->profile, why);
}

enum ta_status target_of_folder(struct ta_context *context, const char *folder, const char **target,
                                struct ta_problem *why) {
    struct workspace workspace;
    if (*target)
        return TA_OK;
    enum ta_status status = workspace_open(context, folder, NULL, &workspace, why);
    if (!status)
        status = workspace_is_configured(&workspace, why);
    *target = workspace.setup.target;
    return status;
}

enum ta_status workspace_toolchains(struct workspace *workspace, const char *isa_text, struct found_toolchains *found,
                                    struct ta_problem *why) {
    struct ta_context *context = workspace->context;
    struct toolchain_answers *learned = NULL;
    struct preferences preferences;
    struct store *store;
    struct isa isa;
    enum ta_status status = isa_parse(isa_text, &isa, why);
    if (!status)
        status = context_preferences(context, &preferences, why);
    if (!status)
        status = context_store(context, &store, why);
    if (!status)
        status = toolchains_find(context->arena, &isa, &preferences.compilers, store, context_cancelled, context, found,
                                 &learned, why);
    if (learned)
        toolchains_remember(learned, context_store_made(context, &store, NULL) ? NULL : store);
    return status;
}

const char *workspace_harts(const struct workspace *workspace, size_t index) {
    const struct project *project = &workspace->project;
    return project->image_count ? project_image_harts(&project->images[index]) : NULL;
}

enum ta_status workspace_toolchain(struct workspace *workspace, const char *isa, struct toolchain *toolchain,
                                   struct ta_problem *why) {
    const struct setup *setup = &workspace->setup;
    struct found_toolchains found;
    g_autoptr(GString) others = g_string_new(NULL);
    enum ta_status status = workspace_toolchains(workspace, isa, &found, why);
    for (size_t i = 0; !status && i < found.count; ++i) {
        const struct found_toolchain *each = &found.items[i];
        const char *family = compiler_words[each->tool.family];
        bool named = each->tool.family == setup->compiler && !strcmp(each->tool.version, setup->compiler_version);
        if (named && each->usable) {
            *toolchain = each->tool;
            return TA_OK;
        }
        if (named)
            return ta_problem_set(why, TA_E_NO, each->fix, "%s %s: %s", family, each->tool.version, each->reason);
        if (each->usable)
            g_string_append_printf(others, "%s%s %s", others->len ? ", " : "", family, each->tool.version);
    }
    if (status)
        return status;
    if (!others->len)
        return ta_problem_set(why, TA_E_NO, toolchains_install_fix, "no cross compiler for %s is installed", isa);
    return ta_problem_set(why, TA_E_NO, "{configure}", "%s %s is not on this computer; there is %s",
                          compiler_words[setup->compiler], setup->compiler_version, others->str);
}

static enum ta_status bad_path(const struct workspace *workspace, struct ta_problem *why, const char *fix,
                               const char *key, const char *path, const char *what) {
    ta_problem_set(why, TA_E_INPUT, fix, "%s: %s %s", key, path, what);
    ta_problem_at(why, workspace->manifest_name, 0, 0);
    return TA_E_INPUT;
}

enum ta_status workspace_path_check(struct workspace *workspace, const char *key, const char *path, bool folder,
                                    struct ta_problem *why) {
    enum inside leads = inside_look(workspace->folder, path);
    for (const char *at = path; *at; ++at)
        if ((unsigned char)*at < ' ' || *at == 0x7f)
            return bad_path(workspace, why, "rename it", key, path, "has a control character in its name");
    const char *slash = strrchr(path, '/');
    if (!folder && (slash ? slash[1] : *path) == '@')
        return bad_path(workspace, why, "rename it", key, path, "has a name that compilers take for one of options");
    if (leads == OUTSIDE && !project_is_in_place(workspace->context, workspace->folder))
        return bad_path(workspace, why, "{import-in-place .} lets it read what lies outside", key, path,
                        "leads out of the project");
    if (leads == OUTSIDE) {
        g_autofree char *full = g_canonicalize_filename(path, workspace->folder);
        leads = g_file_test(full, G_FILE_TEST_IS_REGULAR) ? INSIDE_FILE
                : g_file_test(full, G_FILE_TEST_IS_DIR)   ? INSIDE_FOLDER
                                                          : INSIDE_NOTHING;
    }
    if (folder ? leads == INSIDE_FOLDER || leads == INSIDE_NOTHING : leads == INSIDE_FILE)
        return TA_OK;
    return bad_path(workspace, why, "add the file, or take it out of anchor.yaml", key, path,
                    leads == INSIDE_NOTHING ? "does not exist"
                    : folder                ? "is not a folder"
                                            : "is not a regular file");
}

/* Whether PATH, a regular file as its folder says, surely lies inside: one of a usual name in a folder that was found to lie inside. Of
   thousands of files most are. *FOLDER is the folder that was found so last. */
static bool is_plain(const struct workspace *workspace, const char *path, char **folder) {
    static const char usual[] = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-+./";
    const char *slash = strrchr(path, '/');
    size_t length = slash ? (size_t)(slash - path) : 0;
    if (!length || path[strspn(path, usual)] || strstr(path, ".."))
        return false;
    if (!*folder || strncmp(*folder, path, length) || (*folder)[length]) {
        g_free(*folder);
        *folder = g_strndup(path, length);
        if (inside_look(workspace->folder, *folder) != INSIDE_FOLDER)
            g_clear_pointer(folder, g_free);
    }
    return *folder != NULL;
}

enum ta_status workspace_files(struct workspace *workspace, const char *key, const struct texts *patterns,
                               struct texts *files, struct ta_problem *why) {
    g_autoptr(GPtrArray) all = g_ptr_array_new();
    g_autoptr(GHashTable) known = g_hash_table_new(g_str_hash, g_str_equal);
    g_autofree char *known_folder = NULL;
    *files = (struct texts){0};
    for (size_t i = 0; i < patterns->count; ++i) {
        g_autofree bool *regular = NULL;
        g_auto(GStrv) found = files_match_kinds(workspace->folder, patterns->items[i], &regular);
        if (!found[0])
            return bad_path(workspace, why, "add the file, or take it out of anchor.yaml", key, patterns->items[i],
                            "matches no file");
        for (char **each = found; *each; ++each) {
            bool plain = regular[each - found] && is_plain(workspace, *each, &known_folder);
            enum ta_status status = plain ? TA_OK : workspace_path_check(workspace, key, *each, false, why);
            if (status)
                return status;
            if (g_hash_table_contains(known, *each)) /* two patterns may match one file */
                continue;
            g_ptr_array_add(all, arena_text(workspace->context->arena, *each));
            g_hash_table_add(known, all->pdata[all->len - 1]);
        }
    }
    files->items = arena_alloc(workspace->context->arena, (all->len + 1) * sizeof *files->items);
    for (guint i = 0; i < all->len; ++i)
        files->items[files->count++] = all->pdata[i];
    return TA_OK;
}

enum ta_status workspace_sources(struct workspace *workspace, struct texts *files, struct ta_problem *why) {
    const struct project *project = &workspace->project;
    size_t count = project->sources.count;
    for (size_t i = 0; i < project->image_count; ++i)
        count += project->images[i].sources.count;
    struct texts all = {arena_alloc(workspace->context->arena, (count + 1) * sizeof *all.items), 0};
    for (size_t i = 0; i < project->sources.count; ++i)
        all.items[all.count++] = project->sources.items[i];
    for (size_t i = 0; i < project->image_count; ++i)
        for (size_t k = 0; k < project->images[i].sources.count; ++k)
            all.items[all.count++] = project->images[i].sources.items[k];
    return workspace_files(workspace, "sources", &all, files, why);
}

enum ta_status workspace_board_fits(const struct workspace *workspace, const struct ta_profile *profile,
                                    struct ta_problem *why) {
    const struct texts connectors = package_connectors(workspace->context->arena, profile);
    struct lack lack;
    if (connectors_fit(&connectors, &workspace->project.needs.board, &lack))
        return TA_OK;
    g_autofree char *text = lack_text(&lack, profile->name);
    return ta_problem_set(why, TA_E_NO, "{target NAME}, with one that has it", "%s needs %s",
                          workspace->project.project, text);
}

enum ta_status components_fit_board(struct ta_context *context, const struct sdk *sdk, const struct pins *components,
                                    const struct ta_profile *profile, struct ta_problem *why) {
    const struct texts connectors = package_connectors(context->arena, profile);
    const struct component **all;
    struct lack lack;
    size_t count = 0;
    enum ta_status status = plan_components(context->arena, sdk, components, &all, &count, why);
    for (size_t i = 0; !status && i < count; ++i) {
        if (connectors_fit(&connectors, &all[i]->board, &lack))
            continue;
        g_autofree char *text = lack_text(&lack, profile->name);
        status = ta_problem_set(why, TA_E_NO, "{target NAME}, with one that has it, or leave the component out",
                                "the component %s drives %s", all[i]->name, text);
    }
    return status;
}

enum ta_status workspace_components(struct workspace *workspace, const struct component ***components, size_t *count,
                                    struct ta_problem *why) {
    return plan_components(workspace->context->arena, &workspace->sdk, &workspace->setup.components, components, count,
                           why);
}
