/* catalog: what there is, and for each example which targets it fits. */
#include "flow/packages/browse.h"

#include "base/units.h"
#include "flow/depot/depot.h"
#include "tameanchor/catalog.h"

struct browser {
    struct ta_context *context;
    const struct ta_catalog_query *query;
    struct ta_report *report;
    struct ta_problem *why;
    struct boards boards;
    struct texts connectors; /* of the board that is asked for */
    bool board_known;
    unsigned found;
};

/* Fits. */

static void add_board(struct ta_context *context, struct boards *boards, const char *name, bool bench) {
    struct ta_profile profile;
    if (bench ? board_of_target(context, name, NULL, &profile, NULL)
              : catalog_profile(context, name, context->arena, &profile, NULL))
        return; /* one that cannot be read fits nothing */
    boards->names[boards->count] = arena_text(context->arena, name);
    boards->connectors[boards->count++] = package_connectors(context->arena, &profile);
}

void boards_read(struct ta_context *context, struct boards *boards) {
    g_auto(GStrv) targets = target_names(context);
    const struct catalog_items *profiles = catalog_list(context, PACKAGE_BOARD);
    size_t most = g_strv_length(targets) + profiles->count + 1;
    *boards = (struct boards){arena_alloc(context->arena, most * sizeof *boards->names),
                              arena_alloc(context->arena, most * sizeof *boards->connectors), 0};
    for (char **name = targets; *name; ++name)
        add_board(context, boards, *name, true);
    for (size_t i = 0; !*targets && i < profiles->count; ++i)
        add_board(context, boards, profiles->items[i].name, false);
}

char *boards_fit(const struct boards *boards, const struct texts *wanted, bool *fits) {
    g_autoptr(GString) names = g_string_new(NULL);
    g_autofree char *reason = NULL;
    for (size_t i = 0; i < boards->count; ++i) {
        struct lack lack;
        if (connectors_fit(&boards->connectors[i], wanted, &lack)) {
            g_string_append_printf(names, "%s%s", names->len ? ", " : "fits ", boards->names[i]);
            continue;
        }
        g_free(reason);
        reason = lack_text(&lack, boards->names[i]);
    }
    *fits = names->len > 0;
    return *fits ? g_strdup(names->str)
                 : g_strdup_printf("fits none: %s%s", reason ? "needs " : "", reason ? reason : "there is no board");
}

static bool fits_board(const struct browser *browser, const struct texts *wanted) {
    return !browser->query->board || (browser->board_known && connectors_fit(&browser->connectors, wanted, NULL));
}

/* Rows. */

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

static void add_row(struct browser *browser, enum ta_level level, const char *kind, const char *name,
                    const char *version, const char *title, const char *more) {
    report_add(browser->report, level, kind, NULL, "%-11s %-7s %s%s%s", name, version, title, *more ? "; " : "", more);
    ++browser->found;
}

char *needs_text(const char *head, const struct needs *needs) {
    g_autoptr(GString) text = g_string_new(needs->count ? head : "");
    for (size_t i = 0; i < needs->count; ++i) {
        bool any = !strcmp(needs->items[i].range, "*");
        g_string_append_printf(text, "%s%s%s%s", i ? ", " : "", needs->items[i].name, any ? "" : " ",
                               any ? "" : needs->items[i].range);
    }
    return g_strdup(text->str);
}

char *texts_text(const struct texts *texts) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < texts->count; ++i)
        g_string_append_printf(text, "%s%s", i ? ", " : "", texts->items[i]);
    return g_strdup(text->str);
}

static bool has_component(const struct texts *provided, const char *name) {
    return !name || connectors_fit(provided, &(struct texts){&name, 1}, NULL);
}

/* What stands behind the title of what is here. */
static char *more_about(struct browser *browser, const struct catalog_item *item, const struct package *package,
                        bool *fits) {
    switch (package->kind) {
    case PACKAGE_EXAMPLE: {
        g_autofree char *fit = boards_fit(&browser->boards, &package->needs.board, fits);
        g_autofree char *versions = catalog_versions(browser->context, PACKAGE_EXAMPLE, item->name);
        const char *older = strstr(versions, ", ");
        return older ? g_strdup_printf("%s; also %s", fit, older + 2) : g_strdup(fit);
    }
    case PACKAGE_SDK: return texts_text(&package->provides);
    case PACKAGE_COMPONENT: return needs_text("for ", &package->needs.sdk);
    case PACKAGE_PLATFORM: return needs_text("for ", &item->model.platform->profiles);
    default: {
        struct ta_profile profile;
        struct ta_context *context = browser->context;
        return g_strdup(catalog_profile(context, item->name, context->arena, &profile, NULL) ? "" : profile.isa);
    }
    }
}

/* Whether the query asks for it: by kind, component, board and words. */
static bool is_wanted(struct browser *browser, const struct package *package) {
    const struct ta_catalog_query *query = browser->query;
    bool example = package->kind == PACKAGE_EXAMPLE, board = package_kind_is_profile(package->kind);
    g_autofree char *parts = board ? g_strdup("") : texts_text(&package->provides);
    const char *const texts[] = {package_kinds[package->kind].word,
                                 package->package,
                                 package->title ? package->title : "",
                                 package->summary ? package->summary : "",
                                 parts,
                                 NULL};
    bool component = !query->component || (example ? needs_range(&package->needs.components, query->component) != NULL
                                                   : !board && package->kind != PACKAGE_PLATFORM &&
                                                         has_component(&package->provides, query->component));
    return (!query->kind || !strcmp(query->kind, package_kinds[package->kind].word)) && component &&
           (!query->board || example) && fits_board(browser, &package->needs.board) && words_match(browser, texts);
}

static void list_kind(struct browser *browser, enum package_kind kind) {
    const struct catalog_items *all = catalog_list(browser->context, kind);
    for (size_t i = 0; i < all->count; ++i) {
        struct catalog_item *item = &all->items[i];
        struct ta_problem found = {0};
        struct package package = {0};
        bool fits = true, again = kind == PACKAGE_EXAMPLE && i && !strcmp(item->name, all->items[i - 1].name);
        if (again) /* the newest says which others there are */
            continue;
        if (package_describe(browser->context, item, &package, &found)) {
            add_row(browser, TA_LEVEL_PROBLEM, package_kinds[kind].label, item->name,
                    item->version ? item->version : "", found.what, "");
            continue;
        }
        if (!is_wanted(browser, &package))
            continue;
        g_autofree char *more = more_about(browser, item, &package, &fits);
        add_row(browser, fits ? TA_LEVEL_OK : TA_LEVEL_NOTE, package_kinds[package.kind].label, item->name,
                package.version,
                package.title     ? package.title
                : package.summary ? package.summary
                                  : "",
                more);
    }
}

static enum ta_status list_offers(struct browser *browser) {
    const struct ta_catalog_query *query = browser->query;
    const struct offer_query wanted = {
        .words = query->words, .word_count = query->word_count, .kind = query->kind, .component = query->component};
    struct offers offers;
    struct ta_problem silent;
    enum ta_status status = depot_offers(browser->context, &wanted, &offers, &silent, browser->why);
    if (silent.status)
        report_add(browser->report, TA_LEVEL_WARNING, "depot", silent.fix, "%s", silent.what);
    for (size_t i = 0; !status && i < offers.count; ++i) {
        const struct package *package = &offers.items[i].package;
        char size[UNIT_TEXT_BYTES];
        bool example = package->kind == PACKAGE_EXAMPLE, fits;
        g_autofree char *installed = package_folder(browser->context, package->package, package->version);
        if (g_file_test(installed, G_FILE_TEST_IS_DIR) ||
            (query->board && !(example && fits_board(browser, &package->needs.board))))
            continue;
        g_autofree char *fit = example ? boards_fit(&browser->boards, &package->needs.board, &fits) : NULL;
        g_autofree char *from =
            g_strdup_printf("%s%s%s from %s", fit ? fit : "", fit ? "; " : "",
                            unit_format(size, UNIT_SIZE_BYTES, offers.items[i].archive_bytes), offers.items[i].place);
        add_row(browser, TA_LEVEL_NOTE, package_kinds[package->kind].label, package->package, package->version,
                package->title ? package->title : "", from);
    }
    return status;
}

enum ta_status ta_catalog(struct ta_context *context, const struct ta_catalog_query *asked, struct ta_report *report,
                          struct ta_problem *why) {
    static const enum package_kind kinds[] = {PACKAGE_EXAMPLE, PACKAGE_SDK, PACKAGE_COMPONENT, PACKAGE_BOARD,
                                              PACKAGE_PLATFORM};
    struct step step = step_begin(context, report);
    struct ta_catalog_query query = {0};
    struct browser browser = {.context = context, .query = &query, .report = report, .why = why};
    enum ta_status status = request_copy(asked, &query, sizeof query, why);
    if (status)
        return step_end(&step, status);
    struct ta_profile profile;
    boards_read(context, &browser.boards);
    browser.board_known = query.board && !catalog_profile(context, query.board, context->arena, &profile, NULL);
    if (browser.board_known)
        browser.connectors = package_connectors(context->arena, &profile);
    g_ptr_array_unref(places_folders(context, report)); /* tells of those that are not there */
    for (size_t i = 0; i < G_N_ELEMENTS(kinds); ++i)
        list_kind(&browser, kinds[i]);
    status = list_offers(&browser);
    report_number(report, "found", browser.found);
    report_next(report, "{show NAME}, or {import EXAMPLE}");
    if (!status && !browser.found)
        status = ta_problem_set(why, TA_E_NO, "{list} alone lists everything", "the catalog has nothing like that");
    return step_end(&step, status);
}
