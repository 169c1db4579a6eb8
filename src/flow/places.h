/* Where packages come from: the bundled catalog, folders, archives, depots; in the order that the user has set. */
#ifndef TA_FLOW_PLACES_H
#define TA_FLOW_PLACES_H

#include "base/arena.h"
#include "core/models.h"
#include "tameanchor/chain.h"

#include <glib.h>

extern const char place_bundled[]; /* stands for the context's own catalog */

bool place_is_depot(const char *place);

/* The places in their order, from ARENA. Without catalogs.yaml there is the bundled one alone. */
enum ta_status places_read(const struct ta_context *context, struct arena *arena, struct texts *places,
                           struct ta_problem *why);

/* The folders of all places that are no depots, in their order; archives are unpacked into the cache when they changed.
   Freed with g_ptr_array_unref. A place that cannot be read is passed over and told in REPORT, which may be null. */
GPtrArray *places_folders(const struct ta_context *context, struct ta_report *report);

#endif
