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
    GArray *rows; /* of struct row */
};

/* One thing of the catalog, with a cell for each of these. */
enum value { NAME, VERSION, KIND, FITS, ISA, COMPONENTS, NEEDS, TITLE, WHY, ALSO, SIZE, FROM, VALUES };

static const struct ta_column all_columns[VALUES] = {
    [NAME] = {"name", TA_COLUMN_TEXT},   [VERSION] = {"version", TA_COLUMN_TEXT},
    [KIND] = {"kind", TA_COLUMN_TEXT},   [FITS] = {"fits", TA_COLUMN_TEXT},
    [ISA] = {"isa", TA_COLUMN_TEXT},     [COMPONENTS] = {"components", TA_COLUMN_TEXT},
    [NEEDS] = {"needs", TA_COLUMN_TEXT}, [TITLE] = {"title", TA_COLUMN_TEXT},
    [WHY] = {"why", TA_COLUMN_TEXT},     [ALSO] = {"also", TA_COLUMN_TEXT},
    [SIZE] = {"size", TA_COLUMN_BYTES},  [FROM] = {"from", TA_COLUMN_TEXT},
};

struct row {
    enum package_kind kind;
    struct ta_cell cells[VALUES];
};

/* What is told of each kind. */
enum { MOST_COLUMNS = 9 };
static const struct listing {
    enum package_kind kind;
    const char *table;
    enum value values[MOST_COLUMNS]; /* VALUES ends them */
} listings[] = {
    {PACKAGE_EXAMPLE, "examples", {NAME, VERSION, FITS, TITLE, WHY, ALSO, SIZE, FROM, VALUES}},
    {PACKAGE_SDK, "sdks", {NAME, VERSION, TITLE, COMPONENTS, SIZE, FROM, VALUES}},
    {PACKAGE_COMPONENT, "components", {NAME, VERSION, NEEDS, TITLE, SIZE, FROM, VALUES}},
    {PACKAGE_BOARD, "boards", {NAME, VERSION, KIND, TITLE, ISA, SIZE, FROM, VALUES}},
    {PACKAGE_PLATFORM, "platforms", {NAME, VERSION, NEEDS, TITLE, SIZE, FROM, VALUES}},
};

/* Fits. */

static void add_board(struct ta_context *context, struct boards *boards, const char *name, bool bench) {
    struct ta_profile profile;
    if (bench ? board_of_target(context, name, NULL, &profile, NULL)
              : catalog_profile(context, name, context->arena, &profile, NULL))
        return; /* one that cannot be read fits nothing */
    if (!bench && board_can_be_made(context, &profile, NULL))
        return; /* nothing runs on one that has no models */
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

void boards_fit(const struct boards *boards, const struct texts *wanted, char **fits, char **why) {
    g_autoptr(GString) names = g_string_new(NULL);
    g_autofree char *reason = NULL;
    for (size_t i = 0; i < boards->count; ++i) {
        struct lack lack;
        if (connectors_fit(&boards->connectors[i], wanted, &lack)) {
            g_string_append_printf(names, "%s%s", names->len ? ", " : "", boards->names[i]);
            continue;
        }
        g_autofree char *text = lack_text(&lack, boards->names[i]);
        g_free(reason);
        reason = g_strdup_printf("needs %s", text);
    }
    *fits = names->len ? g_strdup(names->str) : NULL;
    *why = names->len ? NULL : reason ? g_steal_pointer(&reason) : g_strdup("there is no board");
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

static const char *own(struct browser *browser, char *text) {
    const char *kept = text ? arena_text(browser->context->arena, text) : NULL;
    g_free(text);
    return kept;
}

/* What PACKAGE says of itself. */
static struct row begin_row(struct browser *browser, const struct package *package) {
    struct row row = {.kind = package_kind_is_profile(package->kind) ? PACKAGE_BOARD : package->kind};
    row.cells[NAME].text = package->package;
    row.cells[VERSION].text = package->version;
    row.cells[KIND].text = package_kinds[package->kind].word;
    row.cells[TITLE].text = package->title ? package->title : package->summary;
    row.cells[SIZE].number = -1;
    if (package->kind == PACKAGE_EXAMPLE) {
        char *fits, *why;
        boards_fit(&browser->boards, &package->needs.board, &fits, &why);
        row.cells[FITS].text = own(browser, fits);
        row.cells[WHY].text = own(browser, why);
    }
    if (package->kind == PACKAGE_SDK)
        row.cells[COMPONENTS].text = own(browser, texts_text(&package->provides));
    if (package->kind == PACKAGE_COMPONENT)
        row.cells[NEEDS].text = own(browser, needs_text("", &package->needs.sdk));
    return row;
}

/* What is known of what is here beside that. */
static void add_item(struct browser *browser, const struct catalog_item *item, const struct package *package) {
    struct row row = begin_row(browser, package);
    struct ta_context *context = browser->context;
    struct ta_profile profile;
    if (package->kind == PACKAGE_EXAMPLE) {
        g_autofree char *versions = catalog_versions(context, PACKAGE_EXAMPLE, item->name);
        const char *older = strstr(versions, ", ");
        row.cells[ALSO].text = older ? arena_text(context->arena, older + 2) : NULL;
    }
    if (package->kind == PACKAGE_PLATFORM)
        row.cells[NEEDS].text = own(browser, needs_text("", &item->model.platform->profiles));
    if (row.kind == PACKAGE_BOARD && !catalog_profile(context, item->name, context->arena, &profile, NULL))
        row.cells[ISA].text = profile.isa;
    g_array_append_val(browser->rows, row);
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
        bool again = kind == PACKAGE_EXAMPLE && i && !strcmp(item->name, all->items[i - 1].name);
        if (again) /* the newest says which others there are */
            continue;
        if (package_describe(browser->context, item, &package, &found)) {
            report_add(browser->report, TA_LEVEL_PROBLEM, package_kinds[kind].label, found.fix, "%s%s%s: %s",
                       item->name, item->version ? " " : "", item->version ? item->version : "", found.what);
            continue;
        }
        if (is_wanted(browser, &package))
            add_item(browser, item, &package);
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
        g_autofree char *installed = package_folder(browser->context, package->package, package->version);
        if (g_file_test(installed, G_FILE_TEST_IS_DIR) ||
            (query->board && !(package->kind == PACKAGE_EXAMPLE && fits_board(browser, &package->needs.board))))
            continue;
        struct row row = begin_row(browser, package);
        row.cells[SIZE].number = (int64_t)offers.items[i].archive_bytes;
        row.cells[FROM].text = offers.items[i].place;
        g_array_append_val(browser->rows, row);
    }
    return status;
}

static void report_rows(struct browser *browser) {
    for (size_t i = 0; i < G_N_ELEMENTS(listings); ++i) {
        const struct listing *listing = &listings[i];
        struct ta_column *columns = arena_alloc(browser->context->arena, MOST_COLUMNS * sizeof *columns);
        size_t count = 0;
        for (; listing->values[count] != VALUES; ++count)
            columns[count] = all_columns[listing->values[count]];
        columns[count] = (struct ta_column){0};
        report_table(browser->report, listing->table, columns);
        for (guint k = 0; k < browser->rows->len; ++k) {
            const struct row *row = &g_array_index(browser->rows, struct row, k);
            struct ta_cell cells[MOST_COLUMNS];
            for (size_t column = 0; column < count; ++column)
                cells[column] = row->cells[listing->values[column]];
            if (row->kind == listing->kind)
                report_row(browser->report, cells);
        }
    }
}

enum ta_status ta_catalog(struct ta_context *context, const struct ta_catalog_query *asked, struct ta_report *report,
                          struct ta_problem *why) {
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
    browser.rows = g_array_new(FALSE, TRUE, sizeof(struct row));
    for (size_t i = 0; i < G_N_ELEMENTS(listings); ++i)
        list_kind(&browser, listings[i].kind);
    status = query.here_only ? TA_OK : list_offers(&browser);
    if (!status)
        report_rows(&browser);
    unsigned found = browser.rows->len;
    g_array_free(browser.rows, TRUE);
    report_number(report, "found", found);
    report_next(report, "{show NAME}, or {import EXAMPLE}");
    if (!status && !found && !ta_report_count(report, TA_LEVEL_PROBLEM))
        status = ta_problem_set(why, TA_E_NO, "{list} alone lists everything", "nothing in the catalog matches");
    return step_end(&step, status);
}
