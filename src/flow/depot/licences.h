/* Licences of components: tokens (RFC 7519) that a publisher signed for a user, kept in the home's folder licences/. */
#ifndef TA_FLOW_DEPOT_LICENCES_H
#define TA_FLOW_DEPOT_LICENCES_H

#include "flow/context.h"

/* Whether this user may use COMPONENT, which has a publisher: TA_OK, with the end in words in *UNTIL (freed with g_free) and
   *SOON when that is near; TA_E_NO with what is wrong. */
enum ta_status licence_check(struct ta_context *context, const struct component *component, char **until, bool *soon,
                             struct ta_problem *why);

/* The names of the components that licences are here for; ends with null, g_strfreev. */
char **licence_names(struct ta_context *context);

#endif
