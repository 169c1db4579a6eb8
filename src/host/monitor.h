/* Watching folders for files that are saved, come or go. */
#ifndef TA_HOST_MONITOR_H
#define TA_HOST_MONITOR_H

#include <stdbool.h>

struct monitor;

struct monitor *monitor_new(void);
void monitor_free(struct monitor *monitor);

/* Watches FOLDER itself, not what lies in folders below it. One that is watched already is not watched twice; one that is not there
   is passed over. */
void monitor_add(struct monitor *monitor, const char *folder);

/* Whether something was saved since this was asked last. Waits for it, at most TIMEOUT_MS; then until nothing more comes for a
   moment, since one save is often several events. */
bool monitor_saved(struct monitor *monitor, unsigned timeout_ms);

#endif
