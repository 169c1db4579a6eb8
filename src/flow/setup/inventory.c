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

static const struct ta_column version_columns[] = {{"name", TA_COLUMN_TEXT},       {"version", TA_COLUMN_TEXT},
                                                   {"fits", TA_COLUMN_YES_NO},     {"why", TA_COLUMN_TEXT},
                                                   {"components", TA_COLUMN_TEXT}, {0}};
static const struct ta_column component_columns[] = {
    {"name", TA_COLUMN_TEXT}, {"version", TA_COLUMN_TEXT}, {"why", TA_COLUMN_TEXT}, {0}};
static const struct ta_column compiler_columns[] = {{"name", TA_COLUMN_TEXT},
                                                    {"version", TA_COLUMN_TEXT},
                                                    {"path", TA_COLUMN_TEXT},
                                                    {"compiles_for", TA_COLUMN_TEXT},
                                                    {0}};
static const struct ta_column library_columns[] = {
    {"name", TA_COLUMN_TEXT}, {"multilib", TA_COLUMN_TEXT}, {"path", TA_COLUMN_TEXT}, {0}};
static const struct ta_column target_columns[] = {
    {"name", TA_COLUMN_TEXT}, {"fits", TA_COLUMN_YES_NO}, {"why", TA_COLUMN_TEXT}, {"title", TA_COLUMN_TEXT}, {0}};
static const struct ta_column licence_columns[] = {{"component", TA_COLUMN_TEXT}, {"until", TA_COLUMN_TEXT}, {0}};

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
    report_table(inventory->report, "sdks", version_columns);
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
        report_row(inventory->report,
                   CELLS(TEXT_CELL(item->name), TEXT_CELL(item->version), COUNT_CELL(fits),
                         TEXT_CELL(best    ? "recommended"
                                   : fits  ? NULL
                                   : range ? arena_printf(workspace->context->arena, "the project needs %s", range)
                                           : "the project does not use it"),
                         TEXT_CELL(components)));
    }
}

static void list_components(struct inventory *inventory) {
    const struct catalog_items *all = catalog_list(inventory->workspace.context, PACKAGE_COMPONENT);
    report_table(inventory->report, "components", component_columns);
    for (size_t i = 0; i < all->count; ++i) {
        const struct catalog_item *item = &all->items[i];
        const char *chosen = pins_version(&inventory->recommended.components, item->name);
        report_row(inventory->report, CELLS(TEXT_CELL(item->name), TEXT_CELL(item->version),
                                            TEXT_CELL(!chosen                         ? "nothing needs it"
                                                      : strcmp(chosen, item->version) ? "another version is recommended"
                                                                                      : "recommended")));
    }
}

/* A compiler of this computer with the ISAs of the catalog's profiles that it makes code for, or a C library that one found; each
   once, in the order in which they came. */
struct tool_row {
    const char *name, *version, *path;
    GString *isas;
};

static struct tool_row *tool_row(GArray *rows, const char *name, const char *version, const char *path) {
    for (guint i = 0; i < rows->len; ++i) {
        struct tool_row *row = &g_array_index(rows, struct tool_row, i);
        if (!strcmp(row->name, name) && !strcmp(row->version, version) && !strcmp(row->path, path))
            return row;
    }
    const struct tool_row row = {name, version, path, g_string_new(NULL)};
    g_array_append_val(rows, row);
    return &g_array_index(rows, struct tool_row, rows->len - 1);
}

static void clear_tool_row(gpointer row) {
    g_string_free(((struct tool_row *)row)->isas, TRUE);
}

static enum ta_status find_compilers(struct inventory *inventory, GArray *compilers, GArray *libraries) {
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
        status = workspace_toolchains(workspace, profile.isa, &found, inventory->why);
        for (size_t k = 0; !status && k < found.count; ++k) {
            const struct toolchain *tool = &found.items[k].tool;
            struct tool_row *row =
                tool_row(compilers, compiler_words[tool->family], arena_text(context->arena, tool->version),
                         arena_text(context->arena, tool->path));
            if (!found.items[k].usable)
                continue;
            g_string_append_printf(row->isas, "%s%s", row->isas->len ? ", " : "", profile.isa);
            tool_row(libraries, "picolibc", arena_text(context->arena, tool->multilib),
                     arena_text(context->arena, tool->c_library));
        }
    }
    return status;
}

static enum ta_status list_compilers(struct inventory *inventory) {
    struct ta_report *report = inventory->report;
    g_autoptr(GArray) compilers = g_array_new(FALSE, TRUE, sizeof(struct tool_row));
    g_autoptr(GArray) libraries = g_array_new(FALSE, TRUE, sizeof(struct tool_row));
    g_array_set_clear_func(compilers, clear_tool_row);
    g_array_set_clear_func(libraries, clear_tool_row);
    enum ta_status status = find_compilers(inventory, compilers, libraries);
    if (status)
        return status;
    report_table(report, "compilers", compiler_columns);
    for (guint i = 0; i < compilers->len; ++i) {
        const struct tool_row *row = &g_array_index(compilers, struct tool_row, i);
        report_row(report, CELLS(TEXT_CELL(row->name), TEXT_CELL(row->version), TEXT_CELL(row->path),
                                 TEXT_CELL(row->isas->len ? row->isas->str : "none of the boards")));
    }
    if (!compilers->len)
        report_add(report, TA_LEVEL_WARNING, "compiler", toolchains_install_fix, "no cross compiler is installed");
    report_table(report, "c_libraries", library_columns);
    for (guint i = 0; i < libraries->len; ++i) {
        const struct tool_row *row = &g_array_index(libraries, struct tool_row, i);
        report_row(report, CELLS(TEXT_CELL(row->name), TEXT_CELL(row->version), TEXT_CELL(row->path)));
    }
    return TA_OK;
}

static void list_targets(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    g_auto(GStrv) names = target_names(workspace->context);
    report_table(inventory->report, "targets", target_columns);
    for (char **name = names; *name; ++name) {
        struct bench_entry entry;
        struct ta_problem found = {0};
        bool fits = !bench_entry_read(workspace->context, *name, &entry, &found) &&
                    !workspace_board_fits(workspace, &entry.profile, &found) &&
                    !target_can_be_reached(workspace->context, &entry.target, &entry.profile, &found);
        report_row(inventory->report, CELLS(TEXT_CELL(*name), COUNT_CELL(fits), TEXT_CELL(fits ? NULL : found.what),
                                            TEXT_CELL(fits ? entry.profile.title : NULL)));
    }
    if (!*names)
        report_add(inventory->report, TA_LEVEL_NOTE, "target", "{configure} adds one that fits", "the bench is empty");
}

static void list_licences(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    g_auto(GStrv) names = licence_names(workspace->context);
    report_table(inventory->report, "licences", licence_columns);
    for (char **name = names; *name; ++name) {
        struct component component = {0};
        struct ta_problem found = {0};
        g_autofree char *until = NULL;
        bool soon = false;
        if (catalog_licensed(workspace->context, *name, &component, &found) ||
            licence_check(workspace->context, &component, &until, &soon, &found))
            report_problem(inventory->report, "licence", &found);
        else
            report_row(inventory->report, CELLS(TEXT_CELL(*name), TEXT_CELL(until)));
        if (soon)
            report_add(inventory->report, TA_LEVEL_WARNING, "licence", NULL, "the licence of %s ends %s", *name, until);
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
        report_title(report, "available for %s", project->project);
        list_sdks(&inventory);
        list_components(&inventory);
        status = list_compilers(&inventory);
    }
    if (!status) {
        list_targets(&inventory);
        list_licences(&inventory);
        report_next(report, "{configure}, with {option sdk}, {option compiler} or {option target} to choose another");
    }
    return step_end(&step, status);
}
