/* configure --list: what this computer has for a project. */
#include "flow/depot/depot.h"
#include "flow/setup/setup.h"

struct inventory {
    struct workspace workspace;
    struct versions recommended;
    bool has_recommended;
    struct ta_report *report;
    struct ta_problem *why;
};

/* The SDK's own components, those that nothing of the project needs marked. */
static char *component_names(const struct inventory *inventory, const struct sdk *sdk) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < sdk->component_count; ++i)
        g_string_append_printf(text, "%s%s%s", i ? ", " : "", sdk->components[i].name,
                               pins_version(&inventory->recommended.components, sdk->components[i].name) ? ""
                                                                                                         : " (extra)");
    return g_strdup(text->str);
}

static void list_sdks(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    const struct catalog_items *all = catalog_list(workspace->context, PACKAGE_SDK);
    for (size_t i = 0; i < all->count; ++i) {
        struct catalog_item *item = &all->items[i];
        const char *range = needs_range(&workspace->project.needs.sdk, item->name);
        struct ta_problem found = {0};
        if (catalog_read(workspace->context, item, &found)) {
            report_problem(inventory->report, "SDK", &found);
            continue;
        }
        bool fits = range && ta_range_contains(range, &item->parsed);
        bool best = inventory->has_recommended && !strcmp(inventory->recommended.sdk, item->name) &&
                    !strcmp(inventory->recommended.sdk_version, item->version);
        g_autofree char *components = component_names(inventory, item->model.sdk);
        report_add(inventory->report, best || fits ? TA_LEVEL_OK : TA_LEVEL_NOTE, "SDK", NULL, "%-7s %-7s %s; %s",
                   item->name, item->version,
                   best    ? "recommended"
                   : fits  ? "fits"
                   : range ? "outside what the project needs"
                           : "the project is not made for it",
                   components);
    }
}

static void list_components(struct inventory *inventory) {
    const struct catalog_items *all = catalog_list(inventory->workspace.context, PACKAGE_COMPONENT);
    for (size_t i = 0; i < all->count; ++i) {
        const struct catalog_item *item = &all->items[i];
        const char *chosen = pins_version(&inventory->recommended.components, item->name);
        report_add(inventory->report, chosen ? TA_LEVEL_OK : TA_LEVEL_NOTE, "component", NULL, "%-11s %-7s %s",
                   item->name, item->version,
                   !chosen                         ? "nothing needs it"
                   : strcmp(chosen, item->version) ? "another version is recommended"
                                                   : "recommended");
    }
}

/* The compilers of this computer, with the ISAs of the catalog's profiles that each makes code for, and the C libraries that
   they found, each once and in the order in which they came. */
struct rows {
    GPtrArray *rows, *isas; /* texts that belong together */
};

static guint add_row(struct rows *all, char *row) {
    guint at;
    if (g_ptr_array_find_with_equal_func(all->rows, row, g_str_equal, &at)) {
        g_free(row);
        return at;
    }
    g_ptr_array_add(all->rows, row);
    g_ptr_array_add(all->isas, g_strdup(""));
    return all->rows->len - 1;
}

static void add_isa(struct rows *all, guint at, const char *isa) {
    char *before = all->isas->pdata[at];
    all->isas->pdata[at] = g_strconcat(before, *before ? ", " : " for ", isa, NULL);
    g_free(before);
}

static enum ta_status find_compilers(struct inventory *inventory, struct rows *compilers, struct rows *libraries) {
    struct workspace *workspace = &inventory->workspace;
    struct ta_context *context = workspace->context;
    const struct catalog_items *profiles = catalog_list(context, PACKAGE_BOARD);
    g_autoptr(GPtrArray) isas = g_ptr_array_new();
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < profiles->count; ++i) {
        struct ta_profile profile;
        struct found_toolchains found;
        if (catalog_profile(context, profiles->items[i].name, context->arena, &profile, NULL) ||
            g_ptr_array_find_with_equal_func(isas, profile.isa, g_str_equal, NULL))
            continue;
        g_ptr_array_add(isas, (gpointer)profile.isa);
        status = workspace_toolchains(workspace, &profile, &found, inventory->why);
        for (size_t k = 0; !status && k < found.count; ++k) {
            const struct toolchain *tool = &found.items[k].tool;
            guint at = add_row(
                compilers, g_strdup_printf("%-6s %-8s %s", compiler_words[tool->family], tool->version, tool->path));
            if (!found.items[k].usable)
                continue;
            add_isa(compilers, at, profile.isa);
            add_row(libraries, g_strdup_printf("picolibc for %s, %s", tool->multilib, tool->c_library));
        }
    }
    return status;
}

static enum ta_status list_compilers(struct inventory *inventory) {
    struct rows rows[2];
    for (int i = 0; i < 2; ++i)
        rows[i] = (struct rows){g_ptr_array_new_with_free_func(g_free), g_ptr_array_new_with_free_func(g_free)};
    enum ta_status status = find_compilers(inventory, &rows[0], &rows[1]);
    for (guint i = 0; !status && i < rows[0].rows->len; ++i) {
        const char *isas = rows[0].isas->pdata[i];
        report_add(inventory->report, *isas ? TA_LEVEL_OK : TA_LEVEL_NOTE, "compiler", NULL, "%s%s",
                   (char *)rows[0].rows->pdata[i], *isas ? isas : " makes code for none of the boards");
    }
    if (!status && !rows[0].rows->len)
        report_add(inventory->report, TA_LEVEL_WARNING, "compiler", toolchains_install_fix, "there is none");
    for (guint i = 0; !status && i < rows[1].rows->len; ++i)
        report_add(inventory->report, TA_LEVEL_OK, "C library", NULL, "%s", (char *)rows[1].rows->pdata[i]);
    for (int i = 0; i < 2; ++i) {
        g_ptr_array_free(rows[i].rows, TRUE);
        g_ptr_array_free(rows[i].isas, TRUE);
    }
    return status;
}

static void list_targets(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    g_auto(GStrv) names = target_names(workspace->context);
    for (char **name = names; *name; ++name) {
        struct ta_profile profile;
        struct ta_problem found = {0};
        bool fits = !board_of_target(workspace->context, *name, NULL, &profile, &found) &&
                    !workspace_board_fits(workspace, &profile, &found) &&
                    !board_can_be_made(workspace->context, &profile, &found);
        report_add(inventory->report, fits ? TA_LEVEL_OK : TA_LEVEL_NOTE, "target", NULL, "%-11s %s", *name,
                   fits ? profile.title : found.what);
    }
    if (!*names)
        report_add(inventory->report, TA_LEVEL_NOTE, "target", NULL, "the bench is empty; configure puts one there");
}

static void list_licences(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    g_auto(GStrv) names = licence_names(workspace->context);
    for (char **name = names; *name; ++name) {
        struct component component = {0};
        struct ta_problem found = {0};
        g_autofree char *until = NULL;
        bool soon;
        if (catalog_licensed(workspace->context, *name, &component, &found) ||
            licence_check(workspace->context, &component, &until, &soon, &found))
            report_problem(inventory->report, "licence", &found);
        else
            report_add(inventory->report, soon ? TA_LEVEL_WARNING : TA_LEVEL_OK, "licence", NULL, "%-11s until %s",
                       *name, until);
    }
}

enum ta_status ta_configure_list(struct ta_context *context, const char *folder, struct ta_report *report,
                                 struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct inventory inventory = {.report = report, .why = why};
    const struct project *project = &inventory.workspace.project;
    enum ta_status status = workspace_open(context, folder, NULL, &inventory.workspace, why);
    if (!status) {
        const struct version_question question = {.by = project->project, .needs = &project->needs};
        inventory.has_recommended = !versions_choose(context, &question, &inventory.recommended, NULL, NULL);
        report_title(report, "what this computer has for %s", project->project);
        list_sdks(&inventory);
        list_components(&inventory);
        status = list_compilers(&inventory);
    }
    if (!status) {
        list_targets(&inventory);
        list_licences(&inventory);
        report_next(report, "{configure}, naming an SDK, a compiler or a target where you want another");
    }
    return step_end(&step, status);
}
