#include "flow/workspace.h"

#include "flow/catalog.h"
#include "flow/context.h"
#include "host/elf_file.h"
#include "host/files.h"
#include "host/model_files.h"

#include <stdlib.h>
#include <string.h>

static const char manifest[] = "anchor.yaml";

static enum ta_status no_memory(struct ta_problem *why) {
    return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
}

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
                          found->len ? found->str
                                     : "tanchor catalog lists examples, tanchor import EXAMPLE makes a project of one",
                          "%s has no anchor.yaml", strcmp(folder, ".") ? folder : "this folder");
}

enum ta_status workspace_open(struct ta_context *context, const char *folder, struct workspace *workspace,
                              struct ta_problem *why) {
    *workspace = (struct workspace){.context = context, .arena = arena_new()};
    if (!workspace->arena)
        return no_memory(why);
    g_autofree char *found = find_project(folder);
    if (!found)
        return no_project(folder, why);
    workspace->folder = arena_text(workspace->arena, found);
    g_autofree char *here = g_canonicalize_filename(".", NULL);
    bool is_here = !strcmp(here, found);
    workspace->manifest_name = is_here ? manifest : workspace_path(workspace, manifest);
    enum ta_status status = project_read(workspace_path(workspace, manifest), workspace->manifest_name,
                                         workspace->arena, &workspace->project, why);
    const char *setup = workspace_path(workspace, "setup.yaml");
    if (status || !g_file_test(setup, G_FILE_TEST_EXISTS))
        return status;
    status = setup_read(setup, is_here ? "setup.yaml" : setup, workspace->arena, &workspace->setup, why);
    workspace->configured = !status;
    return status;
}

void workspace_close(struct workspace *workspace) {
    arena_free(workspace->arena);
    workspace->arena = NULL;
}

const char *workspace_path(struct workspace *workspace, const char *below) {
    const char *path = arena_printf(workspace->arena, "%s/%s", workspace->folder, below);
    return path ? path : below;
}

enum ta_status workspace_load(struct workspace *workspace, struct ta_problem *why) {
    const struct setup *setup = &workspace->setup;
    if (!workspace->configured)
        return ta_problem_set(why, TA_E_NO, "tanchor configure", "%s is not configured yet",
                              workspace->project.project);
    enum ta_status status = catalog_sdk(workspace->context, setup->sdk, setup->sdk_version, &setup->components,
                                        workspace->arena, &workspace->sdk, &workspace->sdk_folder, why);
    if (!status)
        status = catalog_profile(workspace->context, setup->profile, workspace->arena, &workspace->profile, why);
    if (!status)
        workspace_apply_options(workspace, &workspace->profile);
    return status;
}

void workspace_apply_options(const struct workspace *workspace, struct ta_profile *profile) {
    if (workspace->setup.options.clock_hz)
        profile->clock_hz = workspace->setup.options.clock_hz;
}

enum ta_status workspace_toolchains(struct workspace *workspace, const struct ta_profile *profile,
                                    struct found_toolchains *found, struct ta_problem *why) {
    struct isa isa;
    g_autofree char *cache = g_build_filename(workspace->context->cache, "compilers.json", NULL);
    struct preferences preferences;
    enum ta_status status = isa_parse(profile->isa, &isa, why);
    if (!status)
        status = context_preferences(workspace->context, workspace->arena, &preferences, why);
    return status ? status
                  : toolchains_find(workspace->arena, &isa, &preferences.compilers, cache, context_cancelled,
                                    workspace->context, found, why);
}

enum ta_status workspace_toolchain(struct workspace *workspace, struct toolchain *toolchain, struct ta_problem *why) {
    const struct setup *setup = &workspace->setup;
    struct found_toolchains found;
    g_autoptr(GString) others = g_string_new(NULL);
    enum ta_status status = workspace_toolchains(workspace, &workspace->profile, &found, why);
    for (size_t i = 0; !status && i < found.count; ++i) {
        const struct found_toolchain *each = &found.items[i];
        bool named =
            !strcmp(each->tool.family, setup->compiler) && !strcmp(each->tool.version, setup->compiler_version);
        if (named && each->usable) {
            *toolchain = each->tool;
            return TA_OK;
        }
        if (named)
            return ta_problem_set(why, TA_E_NO, each->fix, "%s %s: %s", each->tool.family, each->tool.version,
                                  each->reason);
        if (each->usable)
            g_string_append_printf(others, "%s%s %s", others->len ? ", " : "", each->tool.family, each->tool.version);
    }
    if (status)
        return status;
    if (!others->len)
        return ta_problem_set(why, TA_E_NO, toolchains_install_fix,
                              "there is no cross compiler for %s on this computer", workspace->profile.isa);
    return ta_problem_set(why, TA_E_NO, "tanchor configure", "%s %s is not on this computer; there is %s",
                          setup->compiler, setup->compiler_version, others->str);
}

enum ta_status workspace_files(struct workspace *workspace, const char *key, const struct texts *patterns,
                               struct texts *files, struct ta_problem *why) {
    g_autoptr(GPtrArray) all = g_ptr_array_new();
    *files = (struct texts){0};
    for (size_t i = 0; i < patterns->count; ++i) {
        g_auto(GStrv) found = files_match(workspace->folder, patterns->items[i]);
        bool exists = found[0] && g_file_test(workspace_path(workspace, found[0]), G_FILE_TEST_IS_REGULAR);
        if (!exists) {
            ta_problem_set(why, TA_E_INPUT, "add the file, or take it out of anchor.yaml", "%s: %s %s", key,
                           patterns->items[i],
                           strpbrk(patterns->items[i], "*?") ? "matches no file" : "does not exist");
            ta_problem_at(why, workspace->manifest_name, 0, 0);
            return TA_E_INPUT;
        }
        for (char **each = found; *each; ++each)
            g_ptr_array_add(all, arena_text(workspace->arena, *each));
    }
    files->items = arena_alloc(workspace->arena, (all->len + 1) * sizeof *files->items);
    if (!files->items)
        return no_memory(why);
    for (guint i = 0; i < all->len; ++i) {
        if (!all->pdata[i])
            return no_memory(why);
        files->items[files->count++] = all->pdata[i];
    }
    return TA_OK;
}

/* "lamps 8" wants lamps, eight or more; "button A" a button of that name. */
enum ta_status workspace_board_fits(const struct workspace *workspace, const struct ta_profile *profile,
                                    struct ta_problem *why) {
    const struct texts *wanted = &workspace->project.needs.board;
    for (size_t i = 0; i < wanted->count; ++i) {
        const char *item = wanted->items[i], *blank = strrchr(item, ' ');
        bool counted = blank && blank[1] && strspn(blank + 1, "0123456789") == strlen(blank + 1);
        g_autofree char *name = counted ? g_strndup(item, (gsize)(blank - item)) : g_strdup(item);
        const struct ta_connector *connector = ta_profile_connector(profile, name);
        if (!connector)
            return ta_problem_set(why, TA_E_NO, "tanchor configure --target NAME, with one that has it",
                                  "%s needs %s, which %s does not have", workspace->project.project, item,
                                  profile->name);
        if (counted && connector->count < strtoul(blank + 1, NULL, 10))
            return ta_problem_set(why, TA_E_NO, "tanchor configure --target NAME, with one that has it",
                                  "%s needs %s, %s has %u", workspace->project.project, item, profile->name,
                                  connector->count);
    }
    return TA_OK;
}

enum ta_status workspace_plan(struct workspace *workspace, const struct toolchain *toolchain, struct plan *plan,
                              struct ta_problem *why) {
    struct plan_inputs inputs = {
        .project = &workspace->project,
        .sdk = &workspace->sdk,
        .setup = &workspace->setup,
        .profile = &workspace->profile,
        .toolchain = toolchain,
        .include = workspace->project.include,
        .has_assets = workspace->project.assets.count > 0,
    };
    enum ta_status status = workspace_files(workspace, "sources", &workspace->project.sources, &inputs.sources, why);
    if (!status)
        status = plan_components(workspace->arena, &workspace->sdk, &workspace->setup.components, &inputs.components,
                                 &inputs.component_count, why);
    return status ? status : plan_make(workspace->arena, &inputs, plan, why);
}

enum ta_status workspace_image(struct workspace *workspace, struct ta_image *image, struct ta_problem *why) {
    const struct setup *setup = &workspace->setup;
    const char *elf = arena_printf(workspace->arena, "%s/out/%s-%s/%s.elf", workspace->folder, setup->target,
                                   setup->compiler, workspace->project.project);
    if (!elf)
        return no_memory(why);
    if (!g_file_test(elf, G_FILE_TEST_EXISTS))
        return ta_problem_set(why, TA_E_NO, "tanchor build", "%s is not built yet", workspace->project.project);
    enum ta_status status = elf_read(elf, workspace->arena, image, why);
    return status ? status : ta_image_fits(image, &workspace->profile, why);
}
