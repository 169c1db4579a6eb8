/* Packages from depots, fetched and installed. */
#ifndef TA_FLOW_DEPOT_FETCH_H
#define TA_FLOW_DEPOT_FETCH_H

#include "flow/context.h"

/* Accepts what is to be accepted, downloads, checks size, digest and signature, and installs. */
enum ta_status fetch_offer(struct ta_context *context, const struct offer *offer, struct ta_report *report,
                           struct ta_problem *why);

/* The same for NAME or NAME@VERSION, whoever offers it. */
enum ta_status fetch_named(struct ta_context *context, const char *name, struct ta_report *report,
                           struct ta_problem *why);

#endif
