#include "flow/depot/depot.h"

#include "flow/catalog/catalog.h"
#include "flow/store.h"

#include <time.h>

enum { FRESH_S = 60 };

/* What is known of a depot: the entity tag (RFC 9110) of its index, and when it was asked for. */
struct known_depot {
    char *etag;
    int64_t asked_s;
};

static bool take_depot(void *with, const struct store_row *row) {
    struct known_depot *known = with;
    known->etag = g_strdup(store_text(row, 0));
    known->asked_s = store_number(row, 1);
    return false;
}

static enum ta_status take_index(struct ta_context *context, const char *place, const struct http_answer *answer,
                                 struct ta_problem *why) {
    struct offers offers;
    struct store *store;
    struct ta_problem found = {0};
    enum ta_status status = package_index_read(answer->text, answer->length, place, context->arena, &offers, &found);
    if (status)
        return ta_problem_set(why, status, found.fix, "%s: %s", place, found.what);
    status = context_store_made(context, &store, why);
    return status ? status
                  : offers_keep(store, place, answer->etag ? answer->etag : "", (int64_t)time(NULL), &offers, why);
}

static enum ta_status refresh(struct ta_context *context, const char *place, const char *etag, struct ta_problem *why) {
    const struct http_request request = {.etag = etag && *etag ? etag : NULL, .limit = PACKAGE_INDEX_BYTES};
    struct http_answer answer;
    struct store *store;
    context_doing(context, "asking the depots", 0, 0);
    enum ta_status status = depot_ask(context, place, "/v1/index", request, &answer, why);
    if (!status && answer.code == 304)
        status = context_store_made(context, &store, why);
    else if (!status && answer.code == 200)
        status = take_index(context, place, &answer, why);
    else if (!status)
        status = depot_refused(place, &answer, why);
    if (!status && answer.code == 304)
        status =
            store_run(store, why, "UPDATE depot SET asked_s = ? WHERE place = ?", "is", (int64_t)time(NULL), place);
    http_clear(&answer);
    return status;
}

/* What PLACE offers, asked anew when that is due; why that cannot be done is only noted. */
static enum ta_status offers_of(struct ta_context *context, const char *place, const struct offer_query *query,
                                struct offers *offers, size_t *room, struct ta_problem *silent,
                                struct ta_problem *why) {
    struct known_depot known = {0};
    struct ta_problem found = {0};
    struct store *store;
    enum ta_status status = context_store(context, &store, why);
    if (!status)
        status =
            store_each(store, take_depot, &known, why, "SELECT etag, asked_s FROM depot WHERE place = ?", "s", place);
    int64_t age_s = (int64_t)time(NULL) - known.asked_s;
    bool fresh = known.etag && age_s >= 0 && age_s < FRESH_S;
    if (!status && !fresh && refresh(context, place, known.etag, &found) && !silent->status)
        *silent = found;
    g_free(known.etag);
    if (!status && found.status == TA_E_INTERRUPTED)
        return ta_problem_copy(why, &found);
    if (!status)
        status = context_store(context, &store, why); /* which may have been made meanwhile */
    return status ? status : offers_search(store, place, query, context->arena, offers, room, why);
}

enum ta_status depot_offers(struct ta_context *context, const struct offer_query *query, struct offers *offers,
                            struct ta_problem *silent, struct ta_problem *why) {
    struct texts places;
    size_t room = 0;
    enum ta_status status = places_read(context, &places, why);
    *offers = (struct offers){0};
    *silent = (struct ta_problem){0};
    for (size_t i = 0; !status && i < places.count; ++i)
        if (place_is_depot(places.items[i]))
            status = offers_of(context, places.items[i], query, offers, &room, silent, why);
    return status;
}

const struct offer *offer_newest(const struct offers *offers, enum package_kind kind, const char *name,
                                 const char *range) {
    const struct offer *best = NULL;
    struct ta_version version, highest = {0};
    for (size_t i = 0; i < offers->count; ++i) {
        const struct package *package = &offers->items[i].package;
        if (strcmp(package->package, name) || (kind != PACKAGE_KINDS && package->kind != kind) ||
            ta_version_parse(package->version, &version, NULL) || (range && !ta_range_contains(range, &version)))
            continue;
        if (best && ta_version_compare(&version, &highest) <= 0)
            continue;
        best = &offers->items[i];
        highest = version;
    }
    return best;
}
