/* What depots offer, in a store: kept so that it is quick to search. Only a help: it can be made anew from the indexes. */
#ifndef TA_HOST_OFFER_STORE_H
#define TA_HOST_OFFER_STORE_H

#include "host/package_index.h"
#include "host/store.h"

/* What to look for; null and 0 stand for anything. */
struct offer_query {
    const char *const *words; /* all of them, in any case, anywhere in what people read of a package */
    size_t word_count;
    const char *kind, *name; /* KIND by its word */
    const char *component;   /* what needs or provides it */
};

/* Replaces all that PLACE offers, with the entity tag (RFC 9110, may be empty) of the index that said so and the time. */
enum ta_status offers_keep(struct store *store, const char *place, const char *etag, int64_t asked_s,
                           const struct offers *offers, struct ta_problem *why);

/* Adds those of PLACE that match; *ROOM is of OFFERS' items (0 to begin with). Memory is ARENA's. STORE may be null. */
enum ta_status offers_search(struct store *store, const char *place, const struct offer_query *query,
                             struct arena *arena, struct offers *offers, size_t *room, struct ta_problem *why);

#endif
