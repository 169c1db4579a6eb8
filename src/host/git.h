/* The real git, through its command line, with nothing run of what a repository brings: no hooks, filters, monitors or
   helpers of its own, no submodules, no question on the terminal. */
#ifndef TA_HOST_GIT_H
#define TA_HOST_GIT_H

#include "tameanchor/status.h"

#include <stdbool.h>
#include <stdint.h>

/* Whether SOURCE is the address of a repository, or a path that ends in .git. */
bool git_is_address(const char *source);

/* SOURCE without the password that may stand in it; freed with g_free. */
char *git_shown(const char *source);

struct git_clone {
    const char *source, *ref; /* REF: a branch or tag, or null */
    const char *to;           /* is not there yet; in a folder that nothing else is in */
    unsigned patience_s;      /* how long a silent server is waited for */
    unsigned limit_s;         /* how long all may take */
    bool (*cancelled)(void *);
    void *with;
};

/* Clones, without its history and without .git. *COMMIT, freed with g_free, is what was checked out, in short. */
enum ta_status git_clone(const struct git_clone *clone, char **commit, struct ta_problem *why);

/* Whether a repository that FOLDER lies in has FILE of it in its index. Nothing in the repository is read but that index.
   EMPTY is a folder of ours, made when it is not there. False when that cannot be told. */
bool git_tracks(const char *folder, const char *file, const char *empty);

/* When what lies in FOLDER was committed, where all of it is as it was: nothing changed, and nothing new but what the repository leaves out
   by itself, or IGNORED names of it (ends with null). SAVED_NS is when the newest of its files was saved: one that is newer than the index
   counts as changed, so that nobody who edits waits for git. False when it cannot be told. EMPTY as above; no setting of the repository
   is looked at. */
bool git_commit_time(const char *folder, const char *const *ignored, int64_t saved_ns, const char *empty,
                     int64_t *time_s);

#endif
