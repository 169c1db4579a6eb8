/* The trial files of a project, parsed and checked against its target's profile. */
#ifndef TA_FLOW_VERIFY_TRIALS_H
#define TA_FLOW_VERIFY_TRIALS_H

#include "flow/project/project.h"

#include "host/sha256.h"
#include "tameanchor/trial.h"

struct trial_files {
    struct texts names;
    GPtrArray *files; /* of struct ta_trials, one for each of NAMES; null when they are not open */
    struct sha256 *sum;
    char digest[SHA256_TEXT_BYTES]; /* of all of them, and of the files that they name */
};

/* Opens all; when the workspace is loaded, checks names against the profile. Followed by trials_close, in the end. */
enum ta_status trials_open(struct workspace *workspace, struct trial_files *trials, struct ta_problem *why);

/* The same before a build, which may make the files that trials name: they are not opened, and *WHOLE is false when a trial names one. */
enum ta_status trials_open_early(struct workspace *workspace, struct trial_files *trials, bool *whole,
                                 struct ta_problem *why);
void trials_close(struct trial_files *trials);
size_t trials_count(const struct trial_files *trials);

#endif
