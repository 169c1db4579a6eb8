/* The store of a context's home: state.db, opened when it is first asked for. */
#ifndef TA_FLOW_STORE_H
#define TA_FLOW_STORE_H

#include "flow/context.h"
#include "host/store.h"

/* The store to read from: null in *STORE when there is none yet, which store_each takes for one that holds nothing. */
enum ta_status context_store(struct ta_context *context, struct store **store, struct ta_problem *why);

/* The store to write to, made when there is none. */
enum ta_status context_store_made(struct ta_context *context, struct store **store, struct ta_problem *why);

#endif
