#include "flow/supply.h"

#include "base/units.h"
#include "core/plan.h"
#include "flow/account.h"
#include "flow/catalog.h"
#include "flow/context.h"
#include "flow/depot.h"
#include "flow/durations.h"
#include "flow/fetch.h"
#include "flow/packages.h"
#include "flow/report.h"
#include "tameanchor/version.h"

#include <string.h>

/* What is to be fetched, in order, and what cannot be had. */
struct supply {
    struct ta_context *context;
    struct arena *arena;
    struct offers offers;     /* all that the depots offer */
    struct ta_problem silent; /* a depot that could not be asked */
    GPtrArray *wanted;        /* of const struct offer, each once */
    struct ta_report *report;
    struct ta_problem *why;
};

static void want(struct supply *supply, const struct offer *offer) {
    if (!g_ptr_array_find(supply->wanted, offer, NULL))
        g_ptr_array_add(supply->wanted, (gpointer)offer);
}

/* Nobody has it: which versions are there? */
static void nobody_has(struct supply *supply, const char *kind, const char *label, const char *pattern,
                       const struct need *need) {
    g_autofree char *here = NULL;
    g_free(catalog_newest(supply->context, pattern, need->name, NULL, &here));
    g_autoptr(GString) all = g_string_new(here);
    for (size_t i = 0; i < supply->offers.count; ++i) {
        const struct package *package = &supply->offers.items[i].package;
        if (!strcmp(package->package, need->name) && !strcmp(package->kind, kind))
            g_string_append_printf(all, "%s%s", all->len ? ", " : "", package->version);
    }
    g_autofree char *fix =
        all->len ? g_strdup_printf("change the range in anchor.yaml: there is %s %s", need->name, all->str)
                 : g_strdup("tanchor catalog use PLACE, with a catalog that has it");
    report_add(supply->report, TA_LEVEL_PROBLEM, label, fix, "no catalog has %s %s%s%s", need->name, need->range,
               supply->silent.status ? "; " : "", supply->silent.what);
}

/* A package of KIND for NEED: here already, or the newest offer. *OFFER is null when it is here or nowhere. True when the
   need can be met. */
static bool find_need(struct supply *supply, const char *kind, const char *label, const char *pattern,
                      const struct need *need, const struct offer **offer) {
    g_autofree char *here = catalog_newest(supply->context, pattern, need->name, need->range, NULL);
    *offer = here ? NULL : offer_newest(&supply->offers, kind, need->name, need->range);
    if (*offer)
        want(supply, *offer);
    if (!here && !*offer)
        nobody_has(supply, kind, label, pattern, need);
    return here || *offer;
}

/* Components. */

static bool provides(const struct texts *provided, const char *name) {
    for (size_t i = 0; i < provided->count; ++i)
        if (!strcmp(provided->items[i], name))
            return true;
    return false;
}

/* The SDK that components are looked for: it is here, or was only offered. */
struct wanted_sdk {
    const char *name;
    struct ta_version version;
    struct texts own;           /* components that come with it */
    struct component *packages; /* those that are here and made for it */
    size_t package_count;
};

static bool is_here(const struct wanted_sdk *sdk, const struct need *need) {
    for (size_t i = 0; i < sdk->package_count; ++i) {
        struct ta_version version;
        if (!strcmp(sdk->packages[i].name, need->name) && !ta_version_parse(sdk->packages[i].version, &version, NULL) &&
            ta_range_contains(need->range, &version))
            return true;
    }
    return provides(&sdk->own, need->name);
}

/* The newest offered component of that name which is made for the SDK; of equal versions, the first place's. */
static const struct offer *component_offer(const struct supply *supply, const struct need *need,
                                           const struct wanted_sdk *sdk) {
    const struct offer *best = NULL;
    struct ta_version highest = {0};
    for (size_t i = 0; i < supply->offers.count; ++i) {
        const struct package *package = &supply->offers.items[i].package;
        const char *range = needs_range(&package->needs.sdk, sdk->name);
        struct ta_version version;
        bool fits = !strcmp(package->kind, "component") && !strcmp(package->package, need->name) && range &&
                    ta_range_contains(range, &sdk->version) && !ta_version_parse(package->version, &version, NULL) &&
                    ta_range_contains(need->range, &version);
        if (!fits || (best && ta_version_compare(&version, &highest) <= 0))
            continue;
        best = &supply->offers.items[i];
        highest = version;
    }
    return best;
}

static void supply_component(struct supply *supply, const struct need *need, const struct wanted_sdk *sdk,
                             unsigned depth) {
    enum { DEPTH = 16 };
    if (is_here(sdk, need) || depth > DEPTH)
        return;
    const struct offer *offer = component_offer(supply, need, sdk);
    if (!offer) {
        nobody_has(supply, "component", "component", catalog_components, need);
        return;
    }
    want(supply, offer);
    for (size_t i = 0; i < offer->package.needs.components.count; ++i)
        supply_component(supply, &offer->package.needs.components.items[i], sdk, depth + 1);
}

/* The names of the components that come with an SDK which is here. */
static enum ta_status own_components(struct supply *supply, const char *name, const char *version, struct texts *own) {
    const char *folder;
    struct sdk sdk;
    enum ta_status status =
        catalog_sdk(supply->context, name, version, NULL, supply->arena, &sdk, &folder, supply->why);
    own->items = status ? NULL : arena_alloc(supply->arena, (sdk.component_count + 1) * sizeof *own->items);
    if (!status && !own->items)
        return ta_problem_set(supply->why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; !status && i < sdk.component_count; ++i)
        if (!sdk.components[i].sdk.count)
            own->items[own->count++] = sdk.components[i].name;
    return status;
}

static enum ta_status supply_sdk(struct supply *supply, const struct project_needs *needs, const struct need *need) {
    const struct offer *offer, *like;
    struct wanted_sdk sdk = {.name = need->name};
    if (!find_need(supply, "sdk", "SDK", catalog_sdks, need, &offer))
        return TA_OK;
    for (size_t i = 0; offer && i < offer->package.needs.sdk.count; ++i) /* the version that it is like */
        find_need(supply, "sdk", "SDK", catalog_sdks, &offer->package.needs.sdk.items[i], &like);
    g_autofree char *version = offer ? g_strdup(offer->package.version)
                                     : catalog_newest(supply->context, catalog_sdks, need->name, need->range, NULL);
    enum ta_status status = ta_version_parse(version, &sdk.version, supply->why);
    if (offer)
        sdk.own = offer->package.provides;
    else if (!status)
        status = own_components(supply, need->name, version, &sdk.own);
    if (!status)
        status = catalog_sdk_components(supply->context, supply->arena, need->name, version, &sdk.packages,
                                        &sdk.package_count, supply->why);
    for (size_t i = 0; !status && i < needs->components.count; ++i)
        supply_component(supply, &needs->components.items[i], &sdk, 0);
    return status;
}

/* Boards. */

/* A board that fits: one that is here, else the first that is offered. That there is none is no problem of an import. */
static void supply_board(struct supply *supply, const struct texts *wanted) {
    g_auto(GStrv) profiles = catalog_list(supply->context, catalog_profiles);
    for (char **name = profiles; *name; ++name) {
        struct ta_profile profile;
        struct texts connectors = {0};
        if (!catalog_profile(supply->context, *name, supply->arena, &profile, NULL) &&
            !package_connectors(supply->arena, &profile, &connectors, NULL) &&
            connectors_fit(&connectors, wanted, NULL))
            return;
    }
    for (size_t i = 0; i < supply->offers.count; ++i) {
        const struct package *package = &supply->offers.items[i].package;
        bool board = !strcmp(package->kind, "board") || !strcmp(package->kind, "emulator");
        if (board && connectors_fit(&package->provides, wanted, NULL)) {
            want(supply, &supply->offers.items[i]);
            return;
        }
    }
}

static enum ta_status plan_needs(struct supply *supply, const struct project_needs *needs) {
    const struct offer *offer;
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < needs->sdk.count; ++i)
        status = supply_sdk(supply, needs, &needs->sdk.items[i]);
    for (size_t i = 0; !status && i < needs->platform.count; ++i)
        find_need(supply, "platform", "platform", catalog_platforms, &needs->platform.items[i], &offer);
    if (!status)
        supply_board(supply, &needs->board);
    return status;
}

/* Fetching. */

static char *describe(const struct supply *supply) {
    g_autoptr(GString) text = g_string_new(NULL);
    char size[UNIT_TEXT_BYTES];
    uint64_t bytes = 0;
    double seconds = 0;
    for (guint i = 0; i < supply->wanted->len; ++i) {
        const struct offer *offer = supply->wanted->pdata[i];
        g_autofree char *key = g_strdup_printf("fetch %s", offer->place);
        double expected = duration_expect(supply->context, key, offer->archive_bytes);
        g_string_append_printf(text, "%s%s %s", i ? ", " : "", offer->package.package, offer->package.version);
        bytes += offer->archive_bytes;
        seconds = seconds < 0 || expected < 0 ? -1 : seconds + expected;
    }
    const struct offer *first = supply->wanted->len ? supply->wanted->pdata[0] : NULL;
    g_string_append_printf(text, " (%s from %s", unit_format(size, UNIT_SIZE_BYTES, bytes), first ? first->place : "");
    if (seconds >= 1)
        g_string_append_printf(text, ", about %.0f s", seconds);
    g_string_append(text, ")");
    return g_strdup(text->str);
}

/* What must be accepted is asked for first, so that nothing is fetched in vain. */
static enum ta_status fetch_wanted(struct supply *supply) {
    enum ta_status status = TA_OK;
    for (guint i = 0; !status && i < supply->wanted->len; ++i)
        status = depot_accept(supply->context, supply->wanted->pdata[i], supply->report, supply->why);
    for (guint i = 0; !status && i < supply->wanted->len; ++i)
        status = fetch_offer(supply->context, supply->wanted->pdata[i], supply->report, supply->why);
    return status;
}

static bool agrees(const struct supply *supply, const char *about) {
    g_autofree char *question = g_strdup_printf("fetch %s", about);
    const struct ta_context *context = supply->context;
    return context->agrees && context->agrees(context->with, TA_ASK_FETCH, question, NULL);
}

static bool supply_open(struct supply *supply, struct ta_context *context, struct ta_report *report,
                        struct ta_problem *why) {
    const struct offer_query all = {0};
    *supply = (struct supply){
        .context = context, .arena = arena_new(), .wanted = g_ptr_array_new(), .report = report, .why = why};
    if (!supply->arena)
        ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    return supply->arena && !depot_offers(context, &all, supply->arena, &supply->offers, &supply->silent, why);
}

static void supply_close(struct supply *supply) {
    g_ptr_array_free(supply->wanted, TRUE);
    arena_free(supply->arena);
}

enum ta_status supply_needs(struct ta_context *context, const struct project_needs *needs, struct ta_report *report,
                            struct ta_problem *why) {
    struct supply supply;
    enum ta_status status = supply_open(&supply, context, report, why) ? plan_needs(&supply, needs) : why->status;
    g_autofree char *about = describe(&supply);
    if (!status && supply.wanted->len && agrees(&supply, about))
        status = fetch_wanted(&supply);
    else if (!status && supply.wanted->len)
        for (guint i = 0; i < supply.wanted->len; ++i) {
            const struct package *package = &((const struct offer *)supply.wanted->pdata[i])->package;
            g_autofree char *fix = g_strdup_printf("tanchor catalog add %s@%s", package->package, package->version);
            report_add(report, TA_LEVEL_WARNING, package->kind, fix, "%s %s is needed and not here yet",
                       package->package, package->version);
        }
    supply_close(&supply);
    return status;
}

enum ta_status supply_example(struct ta_context *context, const char *name, const char *version,
                              struct ta_report *report, struct ta_problem *why) {
    struct supply supply;
    g_autofree char *range = version ? g_strdup_printf("=%s", version) : NULL;
    bool good = supply_open(&supply, context, report, why);
    const struct offer *example = good ? offer_newest(&supply.offers, "example", name, range) : NULL;
    enum ta_status status = !good ? why->status : example ? TA_OK : TA_E_INPUT;
    if (good && !example && supply.silent.status) {
        *why = supply.silent;
        status = TA_E_SYSTEM;
    }
    if (example)
        want(&supply, example);
    if (!status)
        status = plan_needs(&supply, &example->package.needs);
    g_autofree char *about = status ? NULL : describe(&supply);
    if (!status && ta_report_count(report, TA_LEVEL_PROBLEM))
        status = ta_problem_set(why, TA_E_NO, "see above", "%s %s would not be whole", name, example->package.version);
    if (!status && !agrees(&supply, about))
        status = ta_problem_set(why, TA_E_NO, "--yes fetches them", "%s is not here: it takes %s", name, about);
    if (!status)
        status = fetch_wanted(&supply);
    supply_close(&supply);
    return status;
}
