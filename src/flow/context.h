/* The inside of a context, and one call of the public interface from its beginning to its end. */
#ifndef TA_FLOW_CONTEXT_H
#define TA_FLOW_CONTEXT_H

#include "base/arena.h"
#include "core/model/models.h"
#include "flow/report.h"
#include "host/archive.h"
#include "host/lock.h"
#include "tameanchor/context.h"

#include <string.h>

struct store;

/* The texts are the context's own. ARENA lasts from the beginning of the outermost step to its end: what flow reads and works
   out is kept there and never freed by hand. CATALOG is what was read of the catalogs, in that arena. */
struct ta_context {
    const char *catalog; /* the bundled catalog's folders, joined by ":" */
    const char *home;    /* the bench and what else lasts */
    const char *cache;   /* what can be found out again */
    struct ta_callbacks call;
    GArray *port_kinds; /* of struct ta_port_kind, besides the simulated one */
    GStringChunk *texts;
    unsigned depth;
    struct arena *arena;
    struct snapshot *snapshot; /* of the catalogs (catalog/catalog.c); null when they must be read again */
    struct store *store;       /* (store.c); null until it is asked for */
};

struct step {
    struct ta_context *context;
    struct ta_report *report;
    gint64 start_us;
};

/* Every public function begins and ends with these; END gives STATUS back, and tells the report how long it took. */
struct step step_begin(struct ta_context *context, struct ta_report *report);
enum ta_status step_end(const struct step *step, enum ta_status status);

/* Copies the request at GIVEN, which says its size first, over COPY of SIZE bytes: what an older caller does not know is
   zero. TA_E_USAGE when it says none. */
enum ta_status request_copy(const void *given, void *copy, size_t size, struct ta_problem *why);

/* A context like CONTEXT with a HOME of its own; freed with ta_context_free. */
struct ta_context *context_with_home(const struct ta_context *context, const char *home);

/* Takes a struct ta_context, as the callbacks of host do. */
bool context_cancelled(void *context);
void context_progress(const struct ta_context *context, struct ta_progress progress);

/* A step whose length is not known, or COUNT of TOTAL things. */
void context_doing(const struct ta_context *context, const char *what, uint64_t done, uint64_t total);

/* Asks CONTEXT whether to stop; PROGRESS as in struct file_watch, null for none. */
struct file_watch context_watch(const struct ta_context *context, void (*progress)(void *, uint64_t, uint64_t),
                                void *with);

/* What preferences.yaml says; zeros without it. */
enum ta_status context_preferences(const struct ta_context *context, struct preferences *preferences,
                                   struct ta_problem *why);

/* How many seconds something may take: what preferences.yaml says, else what stands behind it. */
enum limit {
    PATIENCE_S, /* a silent depot, or another process that is at work: 15 */
    TRANSFER_S, /* one transfer from elsewhere, however steadily it goes on: 900 */
    TRIAL_S,    /* one trial, on this computer's clock: 120 */
    COMPILE_S,  /* one run of a compiler: 600 */
};
unsigned context_seconds(const struct ta_context *context, enum limit limit);

/* Takes the file at PATH, whose folder is made when it is not there, for DOING ("build"); problems call what it stands for WHAT. Another
   one who holds it is waited for, PATIENCE_S seconds at the most. Let go by lock_release. */
enum ta_status context_lock(struct ta_context *context, const char *path, const char *what, const char *doing,
                            unsigned patience_s, struct lock *lock, struct ta_problem *why);

/* How much an archive may hold: what preferences.yaml says, else the defaults. */
enum ta_status context_limits(const struct ta_context *context, struct archive_limits *limits, struct ta_problem *why);

#endif
