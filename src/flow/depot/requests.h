/* Asking depots, and reading what they answer. */
#ifndef TA_FLOW_DEPOT_REQUESTS_H
#define TA_FLOW_DEPOT_REQUESTS_H

#include "flow/context.h"
#include "host/http.h"

/* Asks PLACE for PATH ("/v1/index") and keeps the answer in memory; what REQUEST leaves out is filled in. */
enum ta_status depot_ask(struct ta_context *context, const char *place, const char *path, struct http_request request,
                         struct http_answer *answer, struct ta_problem *why);

/* TEXT for a terminal: valid UTF-8, and nothing in it moves the cursor or changes colours. Freed with g_free. */
char *depot_shown_text(const char *text);

/* What an answer that is no success means, in one line. */
enum ta_status depot_refused(const char *place, const struct http_answer *answer, struct ta_problem *why);

#endif
