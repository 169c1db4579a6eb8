/* Depots as a client sees them (docs/depot.md): what they offer, and downloads. */
#ifndef TA_FLOW_DEPOT_H
#define TA_FLOW_DEPOT_H

#include "host/offer_cache.h"
#include "tameanchor/chain.h"

/* What the depots among the places offer and QUERY matches, the first place's offers first, into OFFERS. Their indexes are
   asked for anew when the last time is a minute ago. A depot that cannot be asked counts with what it offered the last
   time; why the first of these cannot be asked goes to SILENT, whose status is TA_OK when all could. */
enum ta_status depot_offers(const struct ta_context *context, const struct offer_query *query, struct arena *arena,
                            struct offers *offers, struct ta_problem *silent, struct ta_problem *why);

/* Downloads OFFER's archive to PATH, going on where an earlier download of it stopped, and checks its size and SHA-256. */
enum ta_status depot_download(const struct ta_context *context, const struct offer *offer, const char *path,
                              struct ta_problem *why);

#endif
