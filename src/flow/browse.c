/* catalog: what there is, and for each example which targets it fits. */
#include "tameanchor/chain.h"

#include "base/units.h"
#include "flow/catalog.h"
#include "flow/report.h"
#include "flow/target.h"
#include "flow/workspace.h"
#include "host/files.h"
#include "host/model_files.h"

#include <glib/gstdio.h>
#include <string.h>

struct browser {
    struct ta_context *context;
    const struct ta_catalog_query *query;
    struct arena *arena;
    struct ta_report *report;
    struct ta_problem *why;
    unsigned found;
};

/* Every word must occur in one of the TEXTS (ending with null), whatever its case. */
static bool words_match(const struct browser *browser, const char *const *texts) {
    g_autoptr(GString) all = g_string_new(NULL);
    for (size_t i = 0; texts[i]; ++i)
        g_string_append_printf(all, "%s\n", texts[i]);
    g_autofree char *folded = g_utf8_casefold(all->str, -1);
    for (size_t i = 0; i < browser->query->word_count; ++i) {
        g_autofree char *word = g_utf8_casefold(browser->query->words[i], -1);
        if (!strstr(folded, word))
            return false;
    }
    return true;
}

static bool kind_wanted(const struct browser *browser, const char *kind) {
    return !browser->query->kind || !strcmp(browser->query->kind, kind);
}

static void add_row(struct browser *browser, enum ta_level level, const char *kind, const char *name,
                    const char *version, const char *title, const char *more) {
    report_add(browser->report, level, kind, NULL, "%-11s %-7s %s%s%s", name, version, title, *more ? "; " : "", more);
    ++browser->found;
}

/* Where an example runs: on the targets of the bench, or, while that is empty, on the catalog's boards. */

static enum ta_status load_target(struct browser *browser, const char *name, bool bench, struct ta_profile *profile) {
    return bench ? target_profile(browser->context, name, browser->arena, profile, browser->why)
                 : catalog_profile(browser->context, name, browser->arena, profile, browser->why);
}

/* "fits dunlin", or why it fits none. *FITS tells which; a target that cannot be read fits nothing. */
static char *describe_fit(struct browser *browser, const struct workspace *workspace, bool *fits) {
    g_auto(GStrv) targets = target_names(browser->context);
    g_auto(GStrv) profiles = catalog_list(browser->context, catalog_profiles);
    bool bench = targets[0] != NULL;
    g_autoptr(GString) names = g_string_new(NULL);
    g_autofree char *reason = NULL;
    for (char **name = bench ? targets : profiles; *name; ++name) {
        struct ta_profile profile;
        if (load_target(browser, *name, bench, &profile) || workspace_board_fits(workspace, &profile, browser->why)) {
            g_free(reason);
            reason = g_strdup(browser->why->what);
        } else {
            g_string_append_printf(names, "%s%s", names->len ? ", " : "fits ", *name);
        }
    }
    *fits = names->len > 0;
    return *fits ? g_strdup(names->str) : g_strdup_printf("fits none: %s", reason ? reason : "there is no board");
}

static bool needs_component(const struct workspace *workspace, const char *component) {
    for (size_t i = 0; i < workspace->project.needs.components.count; ++i)
        if (!strcmp(workspace->project.needs.components.items[i], component))
            return true;
    return false;
}

static bool fits_board(struct browser *browser, const struct workspace *workspace, const char *board) {
    struct ta_profile profile;
    return !catalog_profile(browser->context, board, browser->arena, &profile, browser->why) &&
           !workspace_board_fits(workspace, &profile, browser->why);
}

static void list_example(struct browser *browser, const char *name) {
    const struct ta_catalog_query *query = browser->query;
    struct workspace workspace;
    g_autofree char *folder = catalog_example(browser->context, name, browser->why);
    bool fits;
    if (workspace_open(browser->context, folder, &workspace, browser->why)) {
        add_row(browser, TA_LEVEL_PROBLEM, "example", name, "", browser->why->what, "");
    } else {
        const struct project *project = &workspace.project;
        const char *const texts[] = {"example", name, project->title, project->summary, NULL};
        bool wanted = words_match(browser, texts) &&
                      (!query->component || needs_component(&workspace, query->component)) &&
                      (!query->board || fits_board(browser, &workspace, query->board));
        g_autofree char *fit = describe_fit(browser, &workspace, &fits);
        if (wanted)
            add_row(browser, fits ? TA_LEVEL_OK : TA_LEVEL_NOTE, "example", name, project->version, project->title,
                    fit);
    }
    workspace_close(&workspace);
}

static void list_profile(struct browser *browser, const char *name) {
    struct ta_profile profile;
    if (catalog_profile(browser->context, name, browser->arena, &profile, browser->why)) {
        add_row(browser, TA_LEVEL_PROBLEM, "board", name, "", browser->why->what, "");
        return;
    }
    const char *const texts[] = {profile.kind, name, profile.title, profile.summary ? profile.summary : "", NULL};
    if (kind_wanted(browser, profile.kind) && words_match(browser, texts))
        add_row(browser, TA_LEVEL_OK, profile.kind, name, profile.version, profile.title, profile.isa);
}

static void list_sdk(struct browser *browser, const char *package) {
    struct sdk sdk;
    const char *dash = strrchr(package, '-'), *folder;
    g_autofree char *name = g_strndup(package, dash ? (gsize)(dash - package) : strlen(package));
    if (!dash || catalog_sdk(browser->context, name, dash + 1, browser->arena, &sdk, &folder, browser->why)) {
        add_row(browser, TA_LEVEL_PROBLEM, "SDK", package, "", dash ? browser->why->what : "it has no version", "");
        return;
    }
    g_autoptr(GString) parts = g_string_new(NULL);
    for (size_t i = 0; i < sdk.component_count; ++i)
        g_string_append_printf(parts, "%s%s", i ? ", " : "", sdk.components[i].name);
    const char *const texts[] = {"sdk",      name, sdk.title ? sdk.title : "", sdk.summary ? sdk.summary : "",
                                 parts->str, NULL};
    bool has = !browser->query->component || sdk_component(&sdk, browser->query->component);
    if (has && words_match(browser, texts))
        add_row(browser, TA_LEVEL_OK, "SDK", name, sdk.version, sdk.title ? sdk.title : "", parts->str);
}

enum ta_status ta_catalog(struct ta_context *context, const struct ta_catalog_query *query, struct ta_report *report,
                          struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    struct browser browser = {.context = context, .query = query, .arena = arena_new(), .report = report, .why = why};
    g_auto(GStrv) examples = catalog_list(context, catalog_examples);
    g_auto(GStrv) sdks = catalog_list(context, catalog_sdks);
    g_auto(GStrv) profiles = catalog_list(context, catalog_profiles);
    if (!browser.arena)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    for (char **name = examples; kind_wanted(&browser, "example") && *name; ++name)
        list_example(&browser, *name);
    for (char **name = sdks; kind_wanted(&browser, "sdk") && !query->board && *name; ++name)
        list_sdk(&browser, *name);
    for (char **name = profiles; !query->component && !query->board && *name; ++name)
        list_profile(&browser, *name);
    arena_free(browser.arena);
    report_number(report, "found", browser.found);
    report_next(report, "tanchor catalog show NAME, or tanchor import EXAMPLE");
    report_took(report, start);
    return browser.found ? TA_OK
                         : ta_problem_set(why, TA_E_NO, "tanchor catalog alone lists everything",
                                          "the catalog has nothing like that");
}

/* One of them, in full. */

static uint64_t size_below(const char *folder, unsigned *count) {
    g_auto(GStrv) files = files_below(folder, NULL);
    uint64_t bytes = 0;
    for (char **file = files; *file; ++file, ++*count) {
        g_autofree char *path = g_build_filename(folder, *file, NULL);
        GStatBuf about;
        bytes += g_lstat(path, &about) ? 0 : (uint64_t)about.st_size;
    }
    return bytes;
}

static void show_size(struct ta_report *report, const char *folder) {
    char size[UNIT_TEXT_BYTES];
    unsigned files = 0;
    uint64_t bytes = size_below(folder, &files);
    report_add(report, TA_LEVEL_OK, "size", NULL, "%s in %u files", unit_format(size, UNIT_SIZE_BYTES, bytes), files);
    report_add(report, TA_LEVEL_OK, "where", NULL, "%s", folder);
}

static void show_needs(struct ta_report *report, const char *what, const struct needs *needs) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < needs->count; ++i)
        g_string_append_printf(text, "%s%s %s", i ? ", " : "", needs->items[i].name, needs->items[i].range);
    if (text->len)
        report_add(report, TA_LEVEL_OK, what, NULL, "%s", text->str);
}

static void show_texts(struct ta_report *report, const char *what, const struct texts *texts) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < texts->count; ++i)
        g_string_append_printf(text, "%s%s", i ? ", " : "", texts->items[i]);
    if (text->len)
        report_add(report, TA_LEVEL_OK, what, NULL, "%s", text->str);
}

static enum ta_status show_example(struct browser *browser, const char *name) {
    struct workspace workspace;
    struct ta_report *report = browser->report;
    g_autofree char *folder = catalog_example(browser->context, name, browser->why);
    bool fits;
    enum ta_status status = workspace_open(browser->context, folder, &workspace, browser->why);
    if (!status) {
        const struct project *project = &workspace.project;
        g_autofree char *fit = describe_fit(browser, &workspace, &fits);
        report_title(report, "%s %s: %s", project->project, project->version, project->title);
        if (project->summary)
            report_add(report, TA_LEVEL_OK, "summary", NULL, "%s", project->summary);
        show_needs(report, "SDK", &project->needs.sdk);
        show_texts(report, "components", &project->needs.components);
        show_needs(report, "compilers", &project->needs.compilers);
        show_texts(report, "board", &project->needs.board);
        report_add(report, fits ? TA_LEVEL_OK : TA_LEVEL_NOTE, "targets", NULL, "%s", fit);
        if (project->licence)
            report_add(report, TA_LEVEL_OK, "licence", NULL, "%s", project->licence);
        show_texts(report, "guide", &project->docs);
        show_size(report, folder);
        report_next(report, "tanchor import %s", name);
    }
    workspace_close(&workspace);
    return status;
}

static enum ta_status show_sdk(struct browser *browser, const char *name, const char *range) {
    const char *version, *folder;
    struct sdk sdk;
    enum ta_status status = catalog_sdk_version(browser->context, name, range, browser->arena, &version, browser->why);
    if (!status)
        status = catalog_sdk(browser->context, name, version, browser->arena, &sdk, &folder, browser->why);
    if (status)
        return status;
    report_title(browser->report, "%s %s: %s", sdk.sdk, sdk.version, sdk.title ? sdk.title : "");
    for (size_t i = 0; i < sdk.component_count; ++i)
        report_add(browser->report, TA_LEVEL_OK, sdk.components[i].name, NULL, "%s",
                   sdk.components[i].summary ? sdk.components[i].summary : "");
    show_size(browser->report, folder);
    return TA_OK;
}

static enum ta_status show_profile(struct browser *browser, const char *name) {
    struct ta_profile profile;
    char size[UNIT_TEXT_BYTES];
    enum ta_status status = catalog_profile(browser->context, name, browser->arena, &profile, browser->why);
    if (status)
        return status;
    report_title(browser->report, "%s %s: %s", profile.name, profile.version, profile.title);
    report_add(browser->report, TA_LEVEL_OK, "hart", NULL, "%s at %s", profile.isa,
               unit_format(size, UNIT_FREQUENCY_HZ, profile.clock_hz));
    for (size_t i = 0; i < profile.memory_count; ++i)
        report_add(browser->report, TA_LEVEL_OK, profile.memories[i].name, NULL, "%s at 0x%08llx",
                   unit_format(size, UNIT_SIZE_BYTES, profile.memories[i].size_bytes),
                   (unsigned long long)profile.memories[i].base);
    for (size_t i = 0; i < profile.connector_count; ++i)
        report_add(browser->report, TA_LEVEL_OK, profile.connectors[i].name, NULL, "on %s, pin %u%s",
                   profile.connectors[i].device, profile.connectors[i].pin,
                   profile.connectors[i].active_low ? ", active low" : "");
    return TA_OK;
}

enum ta_status ta_catalog_show(struct ta_context *context, const char *name, struct ta_report *report,
                               struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    const struct ta_catalog_query query = {0};
    struct browser browser = {.context = context, .query = &query, .arena = arena_new(), .report = report, .why = why};
    g_auto(GStrv) examples = catalog_list(context, catalog_examples);
    g_auto(GStrv) profiles = catalog_list(context, catalog_profiles);
    const char *at = strchr(name, '@');
    g_autofree char *stem = g_strndup(name, at ? (gsize)(at - name) : strlen(name));
    g_autofree char *range = at ? g_strdup_printf("=%s", at + 1) : NULL;
    enum ta_status status;
    if (!browser.arena)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (g_strv_contains((const char *const *)examples, name))
        status = show_example(&browser, name);
    else if (g_strv_contains((const char *const *)profiles, name))
        status = show_profile(&browser, name);
    else
        status = show_sdk(&browser, stem, range);
    if (status == TA_E_INPUT && !at)
        ta_problem_set(why, TA_E_INPUT, "tanchor catalog lists what there is", "the catalog has no \"%s\"", name);
    arena_free(browser.arena);
    report_took(report, start);
    return status;
}
