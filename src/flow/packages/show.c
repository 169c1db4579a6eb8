/* catalog show: all about one thing. */
#include "flow/packages/browse.h"

#include "flow/depot/depot.h"
#include "tameanchor/catalog.h"

enum value {
    KIND,
    NAME,
    VERSION,
    TITLE,
    SUMMARY,
    ISA,
    CLOCK,
    SDK,
    COMPONENTS,
    COMPILERS,
    BOARD,
    FITS,
    WHY,
    PROVIDES,
    PROFILES,
    LICENCE,
    ACCEPT,
    GUIDE,
    SIZE,
    FILES,
    DOWNLOAD,
    WHERE,
    VALUES
};

static const struct ta_column about_columns[VALUES + 1] = {
    [KIND] = {"kind", TA_COLUMN_TEXT},
    [NAME] = {"name", TA_COLUMN_TEXT},
    [VERSION] = {"version", TA_COLUMN_TEXT},
    [TITLE] = {"title", TA_COLUMN_TEXT},
    [SUMMARY] = {"summary", TA_COLUMN_TEXT},
    [ISA] = {"isa", TA_COLUMN_TEXT},
    [CLOCK] = {"clock", TA_COLUMN_HERTZ},
    [SDK] = {"sdk", TA_COLUMN_TEXT},
    [COMPONENTS] = {"components", TA_COLUMN_TEXT},
    [COMPILERS] = {"compilers", TA_COLUMN_TEXT},
    [BOARD] = {"board", TA_COLUMN_TEXT},
    [FITS] = {"fits", TA_COLUMN_TEXT},
    [WHY] = {"fits_none", TA_COLUMN_TEXT},
    [PROVIDES] = {"provides", TA_COLUMN_TEXT},
    [PROFILES] = {"profiles", TA_COLUMN_TEXT},
    [LICENCE] = {"licence", TA_COLUMN_TEXT},
    [ACCEPT] = {"to_accept", TA_COLUMN_TEXT},
    [GUIDE] = {"guide", TA_COLUMN_TEXT},
    [SIZE] = {"size", TA_COLUMN_BYTES},
    [FILES] = {"files", TA_COLUMN_NUMBER},
    [DOWNLOAD] = {"download", TA_COLUMN_BYTES},
    [WHERE] = {"where", TA_COLUMN_TEXT},
};

/* One thing that is shown. */
struct about {
    struct ta_context *context;
    struct ta_report *report;
    struct ta_cell cells[VALUES];
};

/* TEXT is freed. */
static void tell(struct about *about, enum value value, char *text) {
    about->cells[value].text = text ? arena_text(about->context->arena, text) : NULL;
    g_free(text);
}

/* What all kinds say of themselves. */
static void begin_about(struct about *about, const struct package *package) {
    for (size_t i = 0; i < VALUES; ++i)
        about->cells[i].number = -1;
    report_title(about->report, "%s %s", package->package, package->version);
    tell(about, KIND, g_strdup(package_kinds[package->kind].word));
    tell(about, NAME, g_strdup(package->package));
    tell(about, VERSION, g_strdup(package->version));
    tell(about, TITLE, g_strdup(package->title));
    tell(about, SUMMARY, g_strdup(package->summary));
    tell(about, SDK, needs_text("", &package->needs.sdk));
    tell(about, COMPONENTS, needs_text("", &package->needs.components));
    tell(about, COMPILERS, needs_text("", &package->needs.compilers));
    tell(about, BOARD, texts_text(&package->needs.board));
    tell(about, LICENCE, g_strdup(package->licence));
}

static void tell_fit(struct about *about, const struct package *package) {
    struct boards boards;
    char *fits, *why;
    boards_read(about->context, &boards);
    boards_fit(&boards, &package->needs.board, &fits, &why);
    tell(about, FITS, fits);
    tell(about, WHY, why);
}

static void tell_files(struct about *about, const char *folder) {
    g_auto(GStrv) files = files_below(folder, NULL);
    uint64_t bytes = 0;
    for (char **file = files; *file; ++file) {
        g_autofree char *path = g_build_filename(folder, *file, NULL);
        bytes += file_size(path);
    }
    about->cells[SIZE].number = (int64_t)bytes;
    about->cells[FILES].number = g_strv_length(files);
    tell(about, WHERE, g_strdup(folder));
}

static void end_about(struct about *about) {
    report_record(about->report, "about", about_columns, about->cells);
}

static enum ta_status show_profile(struct about *about, const struct catalog_item *item, const struct package *package,
                                   struct ta_problem *why) {
    struct arena *arena = about->context->arena;
    struct ta_profile profile;
    enum ta_status status = catalog_profile(about->context, item->name, arena, &profile, why);
    if (status)
        return status;
    begin_about(about, package);
    tell(about, TITLE, g_strdup(profile.title));
    tell(about, SUMMARY, g_strdup(profile.summary));
    tell(about, BOARD, NULL);
    if (!profile.hart_group_count) {
        tell(about, ISA, g_strdup(profile.isa));
        about->cells[CLOCK].number = (int64_t)profile.clock_hz;
    }
    tell(about, WHERE, g_strdup(item->path));
    end_about(about);
    board_describe(arena, &profile, about->report);
    report_next(about->report, "{add-target %s}", item->name);
    return TA_OK;
}

static enum ta_status show_item(struct ta_context *context, struct catalog_item *item, struct ta_report *report,
                                struct ta_problem *why) {
    struct about about = {.context = context, .report = report};
    struct package package = {0};
    enum ta_status status = package_describe(context, item, &package, why);
    if (status || item->kind == PACKAGE_BOARD)
        return status ? status : show_profile(&about, item, &package, why);
    begin_about(&about, &package);
    tell_files(&about, item->path);
    switch (item->kind) {
    case PACKAGE_EXAMPLE:
        tell_fit(&about, &package);
        tell(&about, GUIDE, texts_text(&item->model.project->docs));
        report_next(report, "{import %s}", item->name);
        break;
    case PACKAGE_PLATFORM: tell(&about, PROFILES, needs_text("", &item->model.platform->profiles)); break;
    default: break;
    }
    end_about(&about);
    if (item->kind == PACKAGE_SDK)
        status = sdk_describe(context, item, report, why);
    if (item->kind == PACKAGE_COMPONENT)
        status = component_package_describe(context, item, report, why);
    return status;
}

/* One that a depot offers, from its index alone. */
static enum ta_status show_offer(struct ta_context *context, const char *name, const char *range,
                                 struct ta_report *report, struct ta_problem *why) {
    static const struct ta_column other_columns[] = {{"version", TA_COLUMN_TEXT}, {"from", TA_COLUMN_TEXT}, {0}};
    const struct offer_query query = {.name = name};
    struct about about = {.context = context, .report = report};
    struct offers offers;
    struct ta_problem silent;
    enum ta_status status = depot_offers(context, &query, &offers, &silent, why);
    const struct offer *offer = status ? NULL : offer_newest(&offers, PACKAGE_KINDS, name, range);
    if (!offer)
        return status ? status
               : silent.status
                   ? ta_problem_copy(why, &silent)
                   : ta_problem_set(why, TA_E_INPUT, "{list} lists what there is", "the catalog has no \"%s\"", name);
    const struct package *package = &offer->package;
    begin_about(&about, package);
    tell(&about, PROVIDES, texts_text(&package->provides));
    tell(&about, ACCEPT, g_strdup(package->accept));
    tell(&about, WHERE, g_strdup(offer->place));
    about.cells[DOWNLOAD].number = (int64_t)offer->archive_bytes;
    about.cells[SIZE].number = (int64_t)package->size_bytes;
    end_about(&about);
    report_table(report, "others", other_columns);
    for (size_t i = 0; i < offers.count; ++i)
        if (&offers.items[i] != offer)
            report_row(report, CELLS(TEXT_CELL(offers.items[i].package.version), TEXT_CELL(offers.items[i].place)));
    report_next(report, package->kind == PACKAGE_EXAMPLE ? "{import %s}" : "{fetch %s}", name);
    return TA_OK;
}

/* What is here comes first, then what depots offer; when neither has that version, which there are here. */
enum ta_status ta_catalog_show(struct ta_context *context, const char *asked, struct ta_report *report,
                               struct ta_problem *why) {
    struct step step = step_begin(context, report);
    g_autofree char *version = NULL;
    g_autofree char *name = catalog_split(asked, &version);
    g_autofree char *range = version ? g_strdup_printf("=%s", version) : NULL;
    struct catalog_item *item;
    struct ta_problem found = {0};
    if (strchr(asked, '/'))
        return step_end(&step, component_describe(context, asked, report, why));
    enum ta_status here = package_find(context, asked, &item, &found);
    enum ta_status status =
        here ? show_offer(context, name, range, report, why) : show_item(context, item, report, why);
    if (here && status == TA_E_INPUT)
        ta_problem_copy(why, &found);
    return step_end(&step, status);
}
