/* Who a user is to a depot, and what was accepted there. */
#ifndef TA_FLOW_ACCOUNT_H
#define TA_FLOW_ACCOUNT_H

#include "host/http.h"
#include "tameanchor/chain.h"

/* Asks PLACE for PATH ("/v1/index") and keeps the answer in memory; what REQUEST leaves out is filled in. */
enum ta_status depot_ask(const struct ta_context *context, const char *place, const char *path,
                         struct http_request request, struct http_answer *answer, struct ta_problem *why);

/* What an answer that is no success means, in one line. */
enum ta_status depot_refused(const char *place, const struct http_answer *answer, struct ta_problem *why);

/* A name for files that belong to PLACE; freed with g_free. */
char *depot_file_name(const char *place);

#endif
