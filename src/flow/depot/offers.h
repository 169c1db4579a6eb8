/* Depots as a client sees them (docs/depot.md): what they offer. */
#ifndef TA_FLOW_DEPOT_OFFERS_H
#define TA_FLOW_DEPOT_OFFERS_H

#include "flow/context.h"
#include "host/offer_store.h"

/* What the depots among the places offer and QUERY matches, the first place's offers first, into OFFERS. Their indexes are
   asked for anew when the last time is a minute ago. A depot that cannot be asked counts with what it offered the last
   time; why the first of these cannot be asked goes to SILENT, whose status is TA_OK when all could. */
enum ta_status depot_offers(struct ta_context *context, const struct offer_query *query, struct offers *offers,
                            struct ta_problem *silent, struct ta_problem *why);

/* The newest offer of a package NAME of KIND (PACKAGE_KINDS: any) inside RANGE (null: any); of equal versions, the first
   place's. Null when there is none. */
const struct offer *offer_newest(const struct offers *offers, enum package_kind kind, const char *name,
                                 const char *range);

#endif
