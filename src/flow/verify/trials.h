/* The trial files of a project, parsed and checked against its target's profile. */
#ifndef TA_FLOW_VERIFY_TRIALS_H
#define TA_FLOW_VERIFY_TRIALS_H

#include "flow/project/project.h"

#include "tameanchor/trial.h"

struct trial_files {
    struct texts names;
    GPtrArray *files; /* of struct ta_trials, one for each of NAMES; null when they are not open */
};

/* Opens all; when the workspace is loaded, checks names against the profile. Followed by trials_close, in the end. */
enum ta_status trials_open(struct workspace *workspace, struct trial_files *trials, struct ta_problem *why);

/* The same while a build goes on, which may be making the files that trials name: those that do are not opened, and TRIALS neither. */
enum ta_status trials_open_early(struct workspace *workspace, struct trial_files *trials, struct ta_problem *why);
void trials_close(struct trial_files *trials);
size_t trials_count(const struct trial_files *trials);

#endif
