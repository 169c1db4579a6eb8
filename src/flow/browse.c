/* catalog: what there is, and for each example which targets it fits. */
#include "tameanchor/chain.h"

#include "base/units.h"
#include "flow/catalog.h"
#include "flow/depot.h"
#include "flow/fetch.h"
#include "flow/packages.h"
#include "flow/places.h"
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

/* "for strand >=2.0, eider"; freed with g_free. */
static char *needs_text(const char *head, const struct needs *needs) {
    g_autoptr(GString) text = g_string_new(needs->count ? head : "");
    for (size_t i = 0; i < needs->count; ++i) {
        bool any = !strcmp(needs->items[i].range, "*");
        g_string_append_printf(text, "%s%s%s%s", i ? ", " : "", needs->items[i].name, any ? "" : " ",
                               any ? "" : needs->items[i].range);
    }
    return g_strdup(text->str);
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
    return needs_range(&workspace->project.needs.components, component) != NULL;
}

static bool fits_board(struct browser *browser, const struct workspace *workspace, const char *board) {
    struct ta_profile profile;
    return !catalog_profile(browser->context, board, browser->arena, &profile, browser->why) &&
           !workspace_board_fits(workspace, &profile, browser->why);
}

static bool example_wanted(struct browser *browser, const char *name, const struct workspace *workspace) {
    const struct ta_catalog_query *query = browser->query;
    const struct project *project = &workspace->project;
    const char *const texts[] = {"example", name, project->title, project->summary, NULL};
    return words_match(browser, texts) && (!query->component || needs_component(workspace, query->component)) &&
           (!query->board || fits_board(browser, workspace, query->board));
}

static void list_example(struct browser *browser, const char *name) {
    struct workspace workspace;
    g_autofree char *folder = catalog_example(browser->context, name, NULL, browser->why);
    bool fits;
    if (workspace_open(browser->context, folder, &workspace, browser->why)) {
        add_row(browser, TA_LEVEL_PROBLEM, "example", name, "", browser->why->what, "");
    } else if (example_wanted(browser, name, &workspace)) {
        const struct project *project = &workspace.project;
        g_autofree char *fit = describe_fit(browser, &workspace, &fits);
        g_auto(GStrv) versions = catalog_example_versions(browser->context, name);
        g_autofree char *older = g_strjoinv(", ", versions + 1);
        g_autofree char *more = *older ? g_strdup_printf("%s; also %s", fit, older) : g_strdup(fit);
        add_row(browser, fits ? TA_LEVEL_OK : TA_LEVEL_NOTE, "example", name, project->version, project->title, more);
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
    const char *dash = strrchr(package, '-');
    g_autofree char *name = g_strndup(package, dash ? (gsize)(dash - package) : strlen(package));
    g_autofree char *below = g_strdup_printf("sdk/%s/sdk.yaml", package);
    g_autofree char *path = catalog_find(browser->context, below);
    if (!dash || sdk_read(path, path, browser->arena, &sdk, browser->why)) {
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

/* Components and platform images: packages that nothing else of the list holds. */

static void list_component(struct browser *browser, const char *package) {
    g_autofree char *below = g_strdup_printf("components/%s/component.yaml", package);
    g_autofree char *path = catalog_find(browser->context, below);
    struct component component = {0};
    if (component_read(path, path, browser->arena, &component, browser->why)) {
        add_row(browser, TA_LEVEL_PROBLEM, "component", package, "", browser->why->what, "");
        return;
    }
    const char *title = component.title ? component.title : component.summary ? component.summary : "";
    const char *const texts[] = {"component", component.name, title, component.summary ? component.summary : "", NULL};
    g_autofree char *made_for = needs_text("for ", &component.sdk);
    bool wanted = !browser->query->component || !strcmp(browser->query->component, component.name);
    if (wanted && words_match(browser, texts))
        add_row(browser, TA_LEVEL_OK, "component", component.name, component.version, title, made_for);
}

static void list_platform(struct browser *browser, const char *package) {
    g_autofree char *below = g_strdup_printf("platforms/%s/platform.yaml", package);
    g_autofree char *path = catalog_find(browser->context, below);
    struct platform platform = {0};
    if (platform_read(path, path, browser->arena, &platform, browser->why)) {
        add_row(browser, TA_LEVEL_PROBLEM, "platform", package, "", browser->why->what, "");
        return;
    }
    const char *title = platform.title ? platform.title : "";
    const char *const texts[] = {"platform", platform.platform, title, platform.summary ? platform.summary : "", NULL};
    g_autofree char *made_for = needs_text("for ", &platform.profiles);
    if (words_match(browser, texts))
        add_row(browser, TA_LEVEL_OK, "platform", platform.platform, platform.version, title, made_for);
}

/* What depots offer. */

static const char *kind_label(const char *kind) {
    return strcmp(kind, "sdk") ? kind : "SDK";
}

static bool offer_fits_board(struct browser *browser, const struct offer *offer) {
    struct ta_profile profile;
    struct texts connectors = {0};
    return !strcmp(offer->package.kind, "example") &&
           !catalog_profile(browser->context, browser->query->board, browser->arena, &profile, browser->why) &&
           !package_connectors(browser->arena, &profile, &connectors, browser->why) &&
           connectors_fit(&connectors, &offer->package.needs.board, NULL);
}

/* "fits dunlin; ", or why it fits none, by what targets have and the example needs. */
static char *describe_offer_fit(struct browser *browser, const struct package *package) {
    g_auto(GStrv) targets = target_names(browser->context);
    g_auto(GStrv) profiles = catalog_list(browser->context, catalog_profiles);
    g_autoptr(GString) names = g_string_new(NULL);
    g_autofree char *reason = NULL;
    for (char **name = *targets ? targets : profiles; *name; ++name) {
        struct ta_profile profile;
        struct texts connectors = {0};
        const char *missing = NULL;
        if (load_target(browser, *name, *targets != NULL, &profile) ||
            package_connectors(browser->arena, &profile, &connectors, browser->why))
            continue;
        if (connectors_fit(&connectors, &package->needs.board, &missing)) {
            g_string_append_printf(names, "%s%s", names->len ? ", " : "fits ", *name);
        } else {
            g_free(reason);
            reason = g_strdup_printf("needs %s, which %s does not have", missing, *name);
        }
    }
    return names->len ? g_strdup_printf("%s; ", names->str)
           : reason   ? g_strdup_printf("fits none: %s; ", reason)
                      : g_strdup("");
}

static enum ta_status list_offers(struct browser *browser) {
    const struct ta_catalog_query *query = browser->query;
    const struct offer_query wanted = {
        .words = query->words, .word_count = query->word_count, .kind = query->kind, .component = query->component};
    struct offers offers;
    struct ta_problem silent;
    enum ta_status status = depot_offers(browser->context, &wanted, browser->arena, &offers, &silent, browser->why);
    if (silent.status)
        report_add(browser->report, TA_LEVEL_WARNING, "depot", silent.fix, "%s", silent.what);
    for (size_t i = 0; !status && i < offers.count; ++i) {
        const struct package *package = &offers.items[i].package;
        char size[UNIT_TEXT_BYTES];
        g_autofree char *installed =
            g_strdup_printf("%s/packages/%s-%s", browser->context->home, package->package, package->version);
        if (g_file_test(installed, G_FILE_TEST_IS_DIR) ||
            (query->board && !offer_fits_board(browser, &offers.items[i])))
            continue;
        g_autofree char *fit = strcmp(package->kind, "example") ? g_strdup("") : describe_offer_fit(browser, package);
        g_autofree char *from =
            g_strdup_printf("%s%s from %s", fit, unit_format(size, UNIT_SIZE_BYTES, offers.items[i].archive_bytes),
                            offers.items[i].place);
        add_row(browser, TA_LEVEL_NOTE, kind_label(package->kind), package->package, package->version,
                package->title ? package->title : "", from);
    }
    return status;
}

enum ta_status ta_catalog(struct ta_context *context, const struct ta_catalog_query *query, struct ta_report *report,
                          struct ta_problem *why) {
    static const struct {
        const char *pattern, *kind; /* null: told by what is found */
        void (*list)(struct browser *browser, const char *name);
        bool has_components, has_boards;
    } parts[] = {{catalog_examples, "example", list_example, true, true},
                 {catalog_sdks, "sdk", list_sdk, true, false},
                 {catalog_components, "component", list_component, true, false},
                 {catalog_profiles, NULL, list_profile, false, false},
                 {catalog_platforms, "platform", list_platform, false, false}};
    gint64 start = g_get_monotonic_time();
    struct browser browser = {.context = context, .query = query, .arena = arena_new(), .report = report, .why = why};
    if (!browser.arena)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    g_ptr_array_unref(places_folders(context, report)); /* tells of those that are not there */
    for (size_t i = 0; i < G_N_ELEMENTS(parts); ++i) {
        if ((parts[i].kind && !kind_wanted(&browser, parts[i].kind)) ||
            (query->component && !parts[i].has_components) || (query->board && !parts[i].has_boards))
            continue;
        g_auto(GStrv) names = catalog_list(context, parts[i].pattern);
        for (char **name = names; *name; ++name)
            parts[i].list(&browser, *name);
    }
    enum ta_status status = list_offers(&browser);
    arena_free(browser.arena);
    report_number(report, "found", browser.found);
    report_next(report, "tanchor catalog show NAME, or tanchor import EXAMPLE");
    report_took(report, start);
    if (status || browser.found)
        return status;
    return ta_problem_set(why, TA_E_NO, "tanchor catalog alone lists everything", "the catalog has nothing like that");
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
    g_autofree char *text = needs_text("", needs);
    if (*text)
        report_add(report, TA_LEVEL_OK, what, NULL, "%s", text);
}

static void show_texts(struct ta_report *report, const char *what, const struct texts *texts) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < texts->count; ++i)
        g_string_append_printf(text, "%s%s", i ? ", " : "", texts->items[i]);
    if (text->len)
        report_add(report, TA_LEVEL_OK, what, NULL, "%s", text->str);
}

static enum ta_status show_example(struct browser *browser, const char *name, const char *version) {
    struct workspace workspace;
    struct ta_report *report = browser->report;
    g_autofree char *folder = catalog_example(browser->context, name, version, browser->why);
    bool fits;
    if (!folder)
        return TA_E_INPUT;
    enum ta_status status = workspace_open(browser->context, folder, &workspace, browser->why);
    if (!status) {
        const struct project *project = &workspace.project;
        g_autofree char *fit = describe_fit(browser, &workspace, &fits);
        report_title(report, "%s %s: %s", project->project, project->version, project->title);
        if (project->summary)
            report_add(report, TA_LEVEL_OK, "summary", NULL, "%s", project->summary);
        show_needs(report, "SDK", &project->needs.sdk);
        show_needs(report, "components", &project->needs.components);
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
        status = catalog_sdk(browser->context, name, version, NULL, browser->arena, &sdk, &folder, browser->why);
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

static enum ta_status show_component(struct browser *browser, const char *name, const char *version) {
    g_autofree char *below = g_strdup_printf("components/%s-%s", name, version);
    g_autofree char *folder = catalog_find(browser->context, below);
    g_autofree char *file = g_build_filename(folder, "component.yaml", NULL);
    struct component component = {0};
    enum ta_status status = component_read(file, file, browser->arena, &component, browser->why);
    if (status)
        return status;
    report_title(browser->report, "%s %s: %s", name, version, component.title ? component.title : "");
    if (component.summary)
        report_add(browser->report, TA_LEVEL_OK, "summary", NULL, "%s", component.summary);
    show_needs(browser->report, "SDK", &component.sdk);
    show_needs(browser->report, "components", &component.needs);
    if (component.licence)
        report_add(browser->report, TA_LEVEL_OK, "licence", NULL, "%s", component.licence);
    show_size(browser->report, folder);
    return TA_OK;
}

static enum ta_status show_platform(struct browser *browser, const char *name, const char *version) {
    g_autofree char *below = g_strdup_printf("platforms/%s-%s", name, version);
    g_autofree char *folder = catalog_find(browser->context, below);
    g_autofree char *file = g_build_filename(folder, "platform.yaml", NULL);
    struct platform platform = {0};
    enum ta_status status = platform_read(file, file, browser->arena, &platform, browser->why);
    if (status)
        return status;
    report_title(browser->report, "%s %s: %s", name, version, platform.title ? platform.title : "");
    if (platform.summary)
        report_add(browser->report, TA_LEVEL_OK, "summary", NULL, "%s", platform.summary);
    show_needs(browser->report, "profiles", &platform.profiles);
    show_size(browser->report, folder);
    return TA_OK;
}

/* One that a depot offers, from its index alone. */
static enum ta_status show_offer(struct browser *browser, const char *name, const char *range) {
    const struct offer_query query = {.name = name};
    struct ta_report *report = browser->report;
    struct offers offers;
    char size[UNIT_TEXT_BYTES], unpacked[UNIT_TEXT_BYTES];
    struct ta_problem silent;
    enum ta_status status = depot_offers(browser->context, &query, browser->arena, &offers, &silent, browser->why);
    const struct offer *offer = status ? NULL : offer_newest(&offers, NULL, name, range);
    if (!offer && !status && silent.status) {
        *browser->why = silent;
        return silent.status;
    }
    if (!offer)
        return status ? status
                      : ta_problem_set(browser->why, TA_E_INPUT, "tanchor catalog lists what there is",
                                       "the catalog has no \"%s\"", name);
    const struct package *package = &offer->package;
    report_title(report, "%s %s: %s", name, package->version, package->title ? package->title : "");
    report_add(report, TA_LEVEL_OK, "kind", NULL, "%s", kind_label(package->kind));
    if (package->summary)
        report_add(report, TA_LEVEL_OK, "summary", NULL, "%s", package->summary);
    show_needs(report, "SDK", &package->needs.sdk);
    show_needs(report, "components", &package->needs.components);
    show_texts(report, "board", &package->needs.board);
    show_texts(report, "provides", &package->provides);
    if (package->licence)
        report_add(report, TA_LEVEL_OK, "licence", NULL, "%s", package->licence);
    if (package->accept)
        report_add(report, TA_LEVEL_NOTE, "accept", NULL, "asks you to sign in and to accept the licence %s",
                   package->accept);
    report_add(report, TA_LEVEL_OK, "size", NULL, "%s to fetch, %s unpacked",
               unit_format(size, UNIT_SIZE_BYTES, offer->archive_bytes),
               unit_format(unpacked, UNIT_SIZE_BYTES, package->size_bytes));
    report_add(report, TA_LEVEL_OK, "where", NULL, "%s", offer->place);
    for (size_t i = 0; i < offers.count; ++i)
        if (&offers.items[i] != offer)
            report_add(report, TA_LEVEL_NOTE, "also", NULL, "%s from %s", offers.items[i].package.version,
                       offers.items[i].place);
    if (strcmp(package->kind, "example"))
        report_next(report, "tanchor catalog add %s@%s", name, package->version);
    else
        report_next(report, "tanchor import %s", name);
    return TA_OK;
}

/* What is here comes first, then what depots offer. */
static enum ta_status show(struct browser *browser, const char *name, const char *version) {
    g_autofree char *range = version ? g_strdup_printf("=%s", version) : NULL;
    g_auto(GStrv) examples = catalog_list(browser->context, catalog_examples);
    g_auto(GStrv) profiles = catalog_list(browser->context, catalog_profiles);
    if (g_strv_contains((const char *const *)examples, name))
        return show_example(browser, name, version);
    if (g_strv_contains((const char *const *)profiles, name))
        return show_profile(browser, name);
    g_autofree char *sdk = catalog_newest(browser->context, catalog_sdks, name, range, NULL);
    g_autofree char *component = catalog_newest(browser->context, catalog_components, name, range, NULL);
    g_autofree char *platform = catalog_newest(browser->context, catalog_platforms, name, range, NULL);
    enum ta_status status = sdk         ? show_sdk(browser, name, range)
                            : component ? show_component(browser, name, component)
                            : platform  ? show_platform(browser, name, platform)
                                        : show_offer(browser, name, range);
    g_autofree char *others = NULL;
    if (status == TA_E_INPUT && !sdk)
        g_free(catalog_newest(browser->context, catalog_sdks, name, NULL, &others));
    return others && *others ? show_sdk(browser, name, range) : status; /* which says the versions that there are */
}

enum ta_status ta_catalog_show(struct ta_context *context, const char *asked, struct ta_report *report,
                               struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    const struct ta_catalog_query query = {0};
    struct browser browser = {.context = context, .query = &query, .arena = arena_new(), .report = report, .why = why};
    g_autofree char *version = NULL;
    g_autofree char *name = catalog_split(asked, &version);
    enum ta_status status =
        browser.arena ? show(&browser, name, version) : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    arena_free(browser.arena);
    report_took(report, start);
    return status;
}
