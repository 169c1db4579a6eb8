/* configure --list: what this computer has for a project. */
#include "tameanchor/chain.h"

#include "base/units.h"
#include "flow/catalog.h"
#include "flow/licences.h"
#include "flow/report.h"
#include "flow/target.h"
#include "flow/versions.h"
#include "flow/workspace.h"
#include "tameanchor/version.h"

#include <string.h>

struct inventory {
    struct workspace workspace;
    struct versions recommended;
    bool has_recommended;
    struct ta_report *report;
    struct ta_problem *why;
};

static bool is_needed(const struct inventory *inventory, const char *component) {
    return needs_range(&inventory->recommended.components, component) != NULL;
}

/* The SDK's own components, those that nothing of the project needs marked. */
static char *component_names(const struct inventory *inventory, const struct sdk *sdk) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < sdk->component_count; ++i)
        if (!sdk->components[i].sdk.count)
            g_string_append_printf(text, "%s%s%s", text->len ? ", " : "", sdk->components[i].name,
                                   is_needed(inventory, sdk->components[i].name) ? "" : " (extra)");
    return g_strdup(text->str);
}

static void list_sdks(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    g_auto(GStrv) packages = catalog_list(workspace->context, catalog_sdks);
    for (char **package = packages; *package; ++package) {
        const char *dash = strrchr(*package, '-'), *folder;
        g_autofree char *name = g_strndup(*package, dash ? (gsize)(dash - *package) : strlen(*package));
        const char *range = dash ? needs_range(&workspace->project.needs.sdk, name) : NULL;
        struct ta_version version;
        struct ta_problem found = {0};
        struct sdk sdk;
        if (!dash || ta_version_parse(dash + 1, &version, NULL))
            continue;
        if (catalog_sdk(workspace->context, name, dash + 1, NULL, workspace->arena, &sdk, &folder, &found)) {
            report_problem(inventory->report, "SDK", &found);
            continue;
        }
        bool fits = range && ta_range_contains(range, &version);
        bool best = inventory->has_recommended && !strcmp(inventory->recommended.sdk, name) &&
                    !strcmp(inventory->recommended.sdk_version, dash + 1);
        g_autofree char *components = component_names(inventory, &sdk);
        report_add(inventory->report, best || fits ? TA_LEVEL_OK : TA_LEVEL_NOTE, "SDK", NULL, "%-7s %-7s %s; %s", name,
                   dash + 1,
                   best    ? "recommended"
                   : fits  ? "fits"
                   : range ? "outside what the project needs"
                           : "the project is not made for it",
                   components);
    }
}

static void list_components(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    g_auto(GStrv) packages = catalog_list(workspace->context, catalog_components);
    for (char **package = packages; *package; ++package) {
        const char *dash = strrchr(*package, '-');
        g_autofree char *name = g_strndup(*package, dash ? (gsize)(dash - *package) : strlen(*package));
        const char *chosen = dash ? needs_range(&inventory->recommended.components, name) : NULL;
        if (dash)
            report_add(inventory->report, chosen ? TA_LEVEL_OK : TA_LEVEL_NOTE, "component", NULL, "%-11s %-7s %s",
                       name, dash + 1,
                       !chosen                    ? "nothing needs it"
                       : strcmp(chosen, dash + 1) ? "another version is recommended"
                                                  : "recommended");
    }
}

/* One row a compiler, with the ISAs of the catalog's profiles that it makes code for. */
static enum ta_status list_compilers(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    g_auto(GStrv) profiles = catalog_list(workspace->context, catalog_profiles);
    g_autoptr(GPtrArray) isas = g_ptr_array_new(), rows = g_ptr_array_new_with_free_func(g_free);
    g_autoptr(GPtrArray) texts = g_ptr_array_new_with_free_func(g_free);
    enum ta_status status = TA_OK;
    for (char **name = profiles; !status && *name; ++name) {
        struct ta_profile profile;
        struct found_toolchains found;
        if (catalog_profile(workspace->context, *name, workspace->arena, &profile, NULL) ||
            g_ptr_array_find_with_equal_func(isas, profile.isa, g_str_equal, NULL))
            continue;
        g_ptr_array_add(isas, (gpointer)profile.isa);
        status = workspace_toolchains(workspace, &profile, &found, inventory->why);
        for (size_t i = 0; !status && i < found.count; ++i) {
            const struct toolchain *tool = &found.items[i].tool;
            char *row = g_strdup_printf("%-6s %-8s %s", tool->family, tool->version, tool->path);
            guint at;
            if (!g_ptr_array_find_with_equal_func(rows, row, g_str_equal, &at)) {
                at = rows->len;
                g_ptr_array_add(rows, g_strdup(row));
                g_ptr_array_add(texts, g_strdup(""));
            }
            g_free(row);
            if (!found.items[i].usable)
                continue;
            char *longer = g_strconcat(texts->pdata[at], *(char *)texts->pdata[at] ? ", " : " for ", profile.isa, NULL);
            g_free(texts->pdata[at]);
            texts->pdata[at] = longer;
        }
    }
    for (guint i = 0; !status && i < rows->len; ++i) {
        bool usable = *(char *)texts->pdata[i];
        report_add(inventory->report, usable ? TA_LEVEL_OK : TA_LEVEL_NOTE, "compiler", NULL, "%s%s",
                   (char *)rows->pdata[i], usable ? (char *)texts->pdata[i] : " makes code for none of the boards");
    }
    if (!status && !rows->len)
        report_add(inventory->report, TA_LEVEL_WARNING, "compiler", toolchains_install_fix, "there is none");
    return status;
}

/* The C libraries that compilers found, each once. */
static enum ta_status list_libraries(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    g_auto(GStrv) profiles = catalog_list(workspace->context, catalog_profiles);
    g_autoptr(GPtrArray) seen = g_ptr_array_new_with_free_func(g_free);
    enum ta_status status = TA_OK;
    for (char **name = profiles; !status && *name; ++name) {
        struct ta_profile profile;
        struct found_toolchains found;
        if (catalog_profile(workspace->context, *name, workspace->arena, &profile, NULL))
            continue;
        status = workspace_toolchains(workspace, &profile, &found, inventory->why);
        for (size_t i = 0; !status && i < found.count; ++i) {
            const struct toolchain *tool = &found.items[i].tool;
            g_autofree char *row = g_strdup_printf("picolibc for %s, %s", tool->multilib, tool->c_library);
            if (!found.items[i].usable || g_ptr_array_find_with_equal_func(seen, row, g_str_equal, NULL))
                continue;
            report_add(inventory->report, TA_LEVEL_OK, "C library", NULL, "%s", row);
            g_ptr_array_add(seen, g_steal_pointer(&row));
        }
    }
    return status;
}

static void list_targets(struct inventory *inventory) {
    struct workspace *workspace = &inventory->workspace;
    g_auto(GStrv) names = target_names(workspace->context);
    for (char **name = names; *name; ++name) {
        struct ta_profile profile;
        struct ta_problem found = {0};
        bool fits = !target_profile(workspace->context, *name, workspace->arena, &profile, &found) &&
                    !workspace_board_fits(workspace, &profile, &found) &&
                    !target_can_be_made(workspace->context, &profile, &found);
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
        if (catalog_licensed(workspace->context, *name, workspace->arena, &component, &found) ||
            licence_check(workspace->context, &component, &until, &soon, &found))
            report_problem(inventory->report, "licence", &found);
        else
            report_add(inventory->report, soon ? TA_LEVEL_WARNING : TA_LEVEL_OK, "licence", NULL, "%-11s until %s",
                       *name, until);
    }
}

enum ta_status ta_configure_list(struct ta_context *context, const char *folder, struct ta_report *report,
                                 struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    struct inventory inventory = {.report = report, .why = why};
    enum ta_status status = workspace_open(context, folder, &inventory.workspace, why);
    if (!status) {
        struct ta_report *unheard = ta_report_new();
        const struct version_wishes none = {0};
        inventory.has_recommended =
            !versions_choose(&inventory.workspace, &none, &inventory.recommended, unheard, NULL);
        ta_report_free(unheard);
        report_title(report, "what this computer has for %s", inventory.workspace.project.project);
        list_sdks(&inventory);
        list_components(&inventory);
        status = list_compilers(&inventory);
    }
    if (!status)
        status = list_libraries(&inventory);
    if (!status) {
        list_targets(&inventory);
        list_licences(&inventory);
        report_next(report, "tanchor configure, with --sdk, --compiler, --target where you want another");
    }
    workspace_close(&inventory.workspace);
    report_took(report, start);
    return status;
}
