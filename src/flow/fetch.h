/* Packages from depots, fetched and installed. */
#ifndef TA_FLOW_FETCH_H
#define TA_FLOW_FETCH_H

#include "host/package_index.h"
#include "tameanchor/chain.h"

/* The newest offer of a package NAME of KIND (null: any) inside RANGE (null: any); of equal versions, the first place's.
   Null when there is none. */
const struct offer *offer_newest(const struct offers *offers, const char *kind, const char *name, const char *range);

/* Accepts what is to be accepted, downloads, checks size, digest and signature, and installs. */
enum ta_status fetch_offer(struct ta_context *context, const struct offer *offer, struct ta_report *report,
                           struct ta_problem *why);

/* The same for NAME or NAME@VERSION, whoever offers it. */
enum ta_status fetch_named(struct ta_context *context, const char *name, struct ta_report *report,
                           struct ta_problem *why);

#endif
