/* Who a user is to a depot, and what was accepted there. */
#ifndef TA_FLOW_DEPOT_ACCOUNTS_H
#define TA_FLOW_DEPOT_ACCOUNTS_H

#include "flow/context.h"

/* The token for PLACE, or null when nobody is signed in there; freed with g_free. TA_E_NO when it has run out. */
enum ta_status depot_token(struct ta_context *context, const char *place, char **token, struct ta_problem *why);

/* Whether NAME is somebody who is signed in at a depot. */
bool depot_knows_account(struct ta_context *context, const char *name);

/* Sees to it that the licence which OFFER asks for (if any) is accepted: asks CONTEXT when that was not done before. */
enum ta_status depot_accept(struct ta_context *context, const struct offer *offer, struct ta_report *report,
                            struct ta_problem *why);

#endif
