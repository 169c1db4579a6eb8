/* Where packages come from: what the user sees and sets of it. */
#include "flow/catalog/catalog.h"
#include "flow/depot/depot.h"
#include "tameanchor/catalog.h"

static const struct ta_column columns[] = {
    {"order", TA_COLUMN_NUMBER}, {"kind", TA_COLUMN_TEXT}, {"place", TA_COLUMN_TEXT}, {0}};

static void report_places(struct ta_context *context, struct ta_report *report, const struct texts *places) {
    report_table(report, "places", columns);
    for (size_t i = 0; i < places->count; ++i) {
        const char *place = places->items[i];
        const char *kind = place_is_depot(place)                    ? "depot"
                           : !strcmp(place, place_bundled)          ? "bundled"
                           : g_file_test(place, G_FILE_TEST_IS_DIR) ? "folder"
                           : g_file_test(place, G_FILE_TEST_EXISTS) ? "archive"
                                                                    : NULL;
        g_autofree char *fix = g_strdup_printf("put it back, or {forget %s}", place);
        report_row(report, CELLS(COUNT_CELL(i + 1), TEXT_CELL(kind ? kind : "missing"),
                                 TEXT_CELL(strcmp(place, place_bundled) ? place : context->catalog)));
        if (!kind)
            report_add(report, TA_LEVEL_WARNING, "place", fix, "%s is missing", place);
    }
}

/* A depot that is new is asked at once what it offers. */
static enum ta_status report_offers(struct ta_context *context, struct ta_report *report, struct ta_problem *why) {
    struct offers offers;
    struct ta_problem silent;
    enum ta_status status = depot_offers(context, &(struct offer_query){0}, &offers, &silent, why);
    if (silent.status)
        report_add(report, TA_LEVEL_WARNING, "depot", silent.fix, "%s", silent.what);
    if (!status && offers.count)
        report_add(report, TA_LEVEL_OK, "offered", NULL, "%zu package%s by depots", offers.count,
                   offers.count == 1 ? "" : "s");
    return status;
}

enum ta_status ta_catalog_place(struct ta_context *context, const char *place, enum ta_place_change change,
                                struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    g_autofree char *kept = place_kept(place);
    bool wanted = change != TA_PLACE_FORGET;
    struct texts places;
    enum ta_status status = wanted ? place_check(context, kept, why) : TA_OK;
    if (!status)
        status = places_change(context, kept, wanted, change == TA_PLACE_FIRST, why);
    if (!status)
        status = places_read(context, &places, why);
    if (!status)
        report_places(context, report, &places);
    if (!status && wanted && place_is_depot(kept))
        status = report_offers(context, report, why);
    if (!status)
        report_next(report, "{list}");
    return step_end(&step, status);
}

enum ta_status ta_catalog_places(struct ta_context *context, struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct texts places;
    enum ta_status status = places_read(context, &places, why);
    if (!status) {
        report_title(report, "places that packages come from, first to last");
        report_places(context, report, &places);
        report_next(report, "{use PLACE} adds one, {forget PLACE} takes one away");
    }
    return step_end(&step, status);
}
