/* Asking the caller. */
#ifndef TA_FLOW_CONTEXT_H
#define TA_FLOW_CONTEXT_H

#include "tameanchor/chain.h"

/* Takes a struct ta_context, as the callbacks of host do. */
bool context_cancelled(void *context);
void context_progress(const struct ta_context *context, const char *what, unsigned done, unsigned total);

#endif
