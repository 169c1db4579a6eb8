/* Asking the caller. */
#ifndef TA_FLOW_CONTEXT_H
#define TA_FLOW_CONTEXT_H

#include "base/arena.h"
#include "core/models.h"
#include "host/archive.h"
#include "tameanchor/chain.h"

/* Takes a struct ta_context, as the callbacks of host do. */
bool context_cancelled(void *context);
void context_progress(const struct ta_context *context, const struct ta_progress *progress);

/* A step whose length is not known, or COUNT of TOTAL things. */
void context_doing(const struct ta_context *context, const char *what, uint64_t done, uint64_t total);

/* Asks CONTEXT whether to stop; PROGRESS as in struct file_watch, null for none. */
struct file_watch context_watch(const struct ta_context *context, void (*progress)(void *, uint64_t, uint64_t),
                                void *with);

/* What preferences.yaml says, from ARENA; zeros without it. */
enum ta_status context_preferences(const struct ta_context *context, struct arena *arena,
                                   struct preferences *preferences, struct ta_problem *why);

/* How many seconds a silent depot is waited for: what preferences.yaml says, else 15. */
unsigned context_patience_s(const struct ta_context *context);

/* How much an archive may hold: what preferences.yaml says, else the defaults. */
enum ta_status context_limits(const struct ta_context *context, struct archive_limits *limits, struct ta_problem *why);

#endif
