#include "flow/setup/setup.h"

#include "base/units.h"
#include "flow/depot/depot.h"
#include "flow/durations.h"

/* Fetching. */

char *supply_text(struct ta_context *context, const struct offer *const *offers, size_t count) {
    g_autoptr(GString) text = g_string_new(NULL);
    char size[UNIT_TEXT_BYTES];
    uint64_t bytes = 0;
    double seconds = 0;
    for (size_t i = 0; i < count; ++i) {
        g_autofree char *key = g_strdup_printf("fetch %s", offers[i]->place);
        double expected = duration_expect(context, key, offers[i]->archive_bytes);
        g_string_append_printf(text, "%s%s %s", i ? ", " : "", offers[i]->package.package, offers[i]->package.version);
        bytes += offers[i]->archive_bytes;
        seconds = seconds < 0 || expected < 0 ? -1 : seconds + expected;
    }
    g_string_append_printf(text, " (%s from %s", unit_format(size, UNIT_SIZE_BYTES, bytes),
                           count ? offers[0]->place : "");
    if (seconds >= 1)
        g_string_append_printf(text, ", about %.0f s", seconds);
    g_string_append(text, ")");
    return g_strdup(text->str);
}

enum ta_status supply_fetch(struct ta_context *context, const struct offer *const *offers, size_t count, bool *fetched,
                            struct ta_report *report, struct ta_problem *why) {
    const struct ta_callbacks *call = &context->call;
    g_autofree char *about = supply_text(context, offers, count);
    g_autofree char *question = g_strdup_printf("fetch %s", about);
    enum ta_status status = TA_OK;
    *fetched = count && call->agrees && call->agrees(call->with, TA_ASK_FETCH, question, NULL);
    for (size_t i = 0; *fetched && !status && i < count; ++i)
        status = depot_accept(context, offers[i], report, why);
    for (size_t i = 0; *fetched && !status && i < count; ++i)
        status = fetch_offer(context, offers[i], report, why);
    return status;
}

/* What is to be fetched, each once, in order. */
struct supply {
    struct ta_context *context;
    GPtrArray *wanted; /* of const struct offer */
    struct ta_report *report;
    struct ta_problem *why;
};

static void want(struct supply *supply, const struct offer *offer) {
    if (!g_ptr_array_find(supply->wanted, offer, NULL))
        g_ptr_array_add(supply->wanted, (gpointer)offer);
}

/* The versions that configure would choose. What cannot be had is told, each requirement with what there is. */
static enum ta_status plan_versions(struct supply *supply, const char *by, const struct project_needs *needs) {
    const struct version_question question = {.by = by, .needs = needs, .offered = true};
    struct ta_problem found = {0};
    struct versions versions;
    if (!needs->sdk.count)
        return TA_OK;
    enum ta_status status = versions_choose(supply->context, &question, &versions, NULL, &found);
    if (status == TA_E_NO)
        report_problem(supply->report, "versions", &found);
    else if (status)
        return ta_problem_copy(supply->why, &found);
    for (size_t i = 0; !status && i < versions.missing_count; ++i)
        want(supply, versions.missing[i]);
    return TA_OK;
}

static enum ta_status plan_platforms(struct supply *supply, const struct needs *platforms) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < platforms->count; ++i) {
        const struct need *need = &platforms->items[i];
        const struct offer_query query = {.kind = "platform", .name = need->name};
        struct offers offers;
        struct ta_problem silent;
        if (catalog_newest(supply->context, PACKAGE_PLATFORM, need->name, need->range))
            continue;
        status = depot_offers(supply->context, &query, &offers, &silent, supply->why);
        const struct offer *offer = status ? NULL : offer_newest(&offers, PACKAGE_PLATFORM, need->name, need->range);
        g_autofree char *here = catalog_versions(supply->context, PACKAGE_PLATFORM, need->name);
        g_autofree char *fix =
            *here ? g_strdup_printf("change the range in anchor.yaml: there is %s %s", need->name, here)
                  : g_strdup("{use PLACE}, with a catalog that has it");
        if (offer)
            want(supply, offer);
        else if (!status)
            report_add(supply->report, TA_LEVEL_PROBLEM, "platform", fix, "no catalog has %s %s%s%s", need->name,
                       need->range, silent.status ? "; " : "", silent.what);
    }
    return status;
}

/* A board that fits: one that is here, else the first that is offered. That there is none is no problem of an import. */
static enum ta_status plan_board(struct supply *supply, const struct texts *wanted) {
    struct ta_context *context = supply->context;
    const struct catalog_items *profiles = catalog_list(context, PACKAGE_BOARD);
    static const char *const kinds[] = {"board", "emulator"};
    for (size_t i = 0; i < profiles->count; ++i) {
        struct ta_profile profile;
        if (catalog_profile(context, profiles->items[i].name, context->arena, &profile, NULL))
            continue;
        const struct texts connectors = package_connectors(context->arena, &profile);
        if (connectors_fit(&connectors, wanted, NULL))
            return TA_OK;
    }
    for (size_t k = 0; k < G_N_ELEMENTS(kinds); ++k) {
        struct offers offers;
        struct ta_problem silent;
        enum ta_status status =
            depot_offers(context, &(struct offer_query){.kind = kinds[k]}, &offers, &silent, supply->why);
        if (status)
            return status;
        for (size_t i = 0; i < offers.count; ++i)
            if (connectors_fit(&offers.items[i].package.provides, wanted, NULL)) {
                want(supply, &offers.items[i]);
                return TA_OK;
            }
    }
    return TA_OK;
}

static enum ta_status plan_needs(struct supply *supply, const char *by, const struct project_needs *needs) {
    enum ta_status status = plan_versions(supply, by, needs);
    if (!status)
        status = plan_platforms(supply, &needs->platform);
    return status ? status : plan_board(supply, &needs->board);
}

enum ta_status supply_needs(struct ta_context *context, const char *by, const struct project_needs *needs,
                            struct ta_report *report, struct ta_problem *why) {
    g_autoptr(GPtrArray) wanted = g_ptr_array_new();
    struct supply supply = {.context = context, .wanted = wanted, .report = report, .why = why};
    bool fetched;
    enum ta_status status = plan_needs(&supply, by, needs);
    const struct offer *const *offers = (const struct offer *const *)wanted->pdata;
    if (!status)
        status = supply_fetch(context, offers, wanted->len, &fetched, report, why);
    for (guint i = 0; !status && !fetched && i < wanted->len; ++i) {
        const struct package *package = &offers[i]->package;
        g_autofree char *fix = g_strdup_printf("{fetch %s@%s}", package->package, package->version);
        report_add(report, TA_LEVEL_WARNING, package_kinds[package->kind].word, fix,
                   "%s %s is needed and not installed yet", package->package, package->version);
    }
    return status;
}

enum ta_status supply_example(struct ta_context *context, const char *name, const char *version, bool *offered,
                              struct ta_report *report, struct ta_problem *why) {
    g_autoptr(GPtrArray) wanted = g_ptr_array_new();
    g_autofree char *range = version ? g_strdup_printf("=%s", version) : NULL;
    struct supply supply = {.context = context, .wanted = wanted, .report = report, .why = why};
    struct offers offers;
    struct ta_problem silent;
    bool fetched = false;
    enum ta_status status =
        depot_offers(context, &(struct offer_query){.kind = "example", .name = name}, &offers, &silent, why);
    const struct offer *example = status ? NULL : offer_newest(&offers, PACKAGE_EXAMPLE, name, range);
    *offered = status || example || silent.status;
    if (!status && !example)
        return silent.status ? ta_problem_copy(why, &silent) : TA_OK;
    if (!status) {
        want(&supply, example);
        status = plan_needs(&supply, name, &example->package.needs);
    }
    if (!status && ta_report_count(report, TA_LEVEL_PROBLEM))
        status = ta_problem_set(why, TA_E_NO, "see above", "%s %s would be incomplete", name, example->package.version);
    if (status)
        return status;
    const struct offer *const *all = (const struct offer *const *)wanted->pdata;
    g_autofree char *about = supply_text(context, all, wanted->len);
    status = supply_fetch(context, all, wanted->len, &fetched, report, why);
    return status || fetched
               ? status
               : ta_problem_set(why, TA_E_NO, "{agree} fetches them", "%s is not installed: it needs %s", name, about);
}
