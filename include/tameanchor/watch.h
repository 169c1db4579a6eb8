/* Watching a project: telling when something that its verdict stands on was saved. */
#ifndef TAMEANCHOR_WATCH_H
#define TAMEANCHOR_WATCH_H

#include "tameanchor/context.h"

#ifdef __cplusplus
extern "C" {
#endif

struct ta_watch;

/* Watches the project in FOLDER: its manifest, setup, settings, sources, assets and trials, and the headers, profile, target and SDK
   files that it uses, also those that are still to come. Needs no project that is whole: what is broken is watched to be mended.
   CONTEXT tells the folders only, and stays free for other calls. *WATCH is the caller's, to be freed with ta_watch_free. */
enum ta_status ta_watch_new(const struct ta_context *context, const char *folder, struct ta_watch **watch,
                            struct ta_problem *why);
void ta_watch_free(struct ta_watch *watch); /* may be null */

/* The first file that has other contents than when this was asked last, or when WATCH was made; waits for one at most TIMEOUT_MS.
   Null when there is none. WATCH's own, until it is asked again. */
const char *ta_watch_saved(struct ta_watch *watch, unsigned timeout_ms);

#ifdef __cplusplus
}
#endif
#endif
