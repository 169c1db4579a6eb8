/* Where packages come from: the bundled catalog, folders, archives, depots; in the order that the user has set. */
#ifndef TA_FLOW_CATALOG_PLACES_H
#define TA_FLOW_CATALOG_PLACES_H

#include "flow/context.h"

extern const char place_bundled[]; /* stands for the context's own catalog */

bool place_is_depot(const char *place);

/* PLACE as it is kept: an address without a slash at its end, a path made absolute. Freed with g_free. */
char *place_kept(const char *place);

/* The places in their order; the bundled one alone as long as nothing was set. */
enum ta_status places_read(struct ta_context *context, struct texts *places, struct ta_problem *why);

/* Puts PLACE (as it is kept) first or last, or takes it away. TA_E_INPUT when it is to go and is not there. */
enum ta_status places_change(struct ta_context *context, const char *place, bool wanted, bool first,
                             struct ta_problem *why);

/* TA_E_INPUT when a folder or an archive holds no catalog. */
enum ta_status place_check(struct ta_context *context, const char *place, struct ta_problem *why);

/* The folders of all places that are no depots, in their order; archives are unpacked into the cache when they changed.
   Freed with g_ptr_array_unref. A place that cannot be read is passed over and told in REPORT, which may be null. */
GPtrArray *places_folders(struct ta_context *context, struct ta_report *report);

#endif
