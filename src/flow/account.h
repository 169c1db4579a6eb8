/* Who a user is to a depot, and what was accepted there. */
#ifndef TA_FLOW_ACCOUNT_H
#define TA_FLOW_ACCOUNT_H

#include "host/http.h"
#include "tameanchor/status.h"

/* What an answer that is no success means, in one line. */
enum ta_status depot_refused(const char *place, const struct http_answer *answer, struct ta_problem *why);

/* A name for files that belong to PLACE; freed with g_free. */
char *depot_file_name(const char *place);

#endif
