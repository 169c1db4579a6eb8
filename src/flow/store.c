#include "flow/store.h"

static enum ta_status open_store(struct ta_context *context, bool writing, struct store **store,
                                 struct ta_problem *why) {
    g_autofree char *path = g_build_filename(context->home, "state.db", NULL);
    enum ta_status status = context->store ? TA_OK : store_open(path, writing, &context->store, why);
    *store = context->store;
    return status;
}

enum ta_status context_store(struct ta_context *context, struct store **store, struct ta_problem *why) {
    return open_store(context, false, store, why);
}

enum ta_status context_store_made(struct ta_context *context, struct store **store, struct ta_problem *why) {
    return open_store(context, true, store, why);
}
