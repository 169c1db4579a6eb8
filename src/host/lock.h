/* Taking turns: a file that one process holds at a time, with a note in it of who that is. It is let go when the process ends,
   however it does. */
#ifndef TA_HOST_LOCK_H
#define TA_HOST_LOCK_H

#include "tameanchor/status.h"

#include <stdbool.h>

struct lock {
    int file; /* 0 for none */
};

/* Takes the file at PATH, made when it is not there, for DOING ("build"). When another process holds it, WAITING (may be null)
   is told who that is, now and then, and after PATIENCE_S seconds (0: at once) it is TA_E_NO: "WHAT is in use by tanchor build since
   14:03". CANCELLED may be null. Where files cannot be locked, or only be read, nobody waits for this one. */
enum ta_status lock_take(const char *path, const char *what, const char *doing, unsigned patience_s,
                         bool (*cancelled)(void *), void (*waiting)(void *, const char *who), void *with,
                         struct lock *lock, struct ta_problem *why);
void lock_release(struct lock *lock);

#endif
