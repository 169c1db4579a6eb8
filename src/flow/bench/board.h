/* The effective board: the profile that a target's program really meets, and the port to it. Everybody who asks about a board
   asks here, so that what is configured, linked, deployed and run on is the same one. */
#ifndef TA_FLOW_BENCH_BOARD_H
#define TA_FLOW_BENCH_BOARD_H

#include "flow/bench/targets.h"
#include "flow/catalog/catalog.h"

/* The profile of TARGET with the keys that it sets, and what OPTIONS (may be null) of a setup change. A target whose keys make
   a profile that contradicts itself is TA_E_INPUT, with the key. */
enum ta_status board_of(struct ta_context *context, const struct bench_target *target,
                        const struct board_options *options, struct ta_profile *profile, struct ta_problem *why);

/* The same for the target NAME of the bench. */
enum ta_status board_of_target(struct ta_context *context, const char *name, const struct board_options *options,
                               struct ta_profile *profile, struct ta_problem *why);

/* The board that SETUP is for: its target's, or, when that is not on the bench, one just made from its profile. */
enum ta_status board_of_setup(struct ta_context *context, const struct setup *setup, struct ta_profile *profile,
                              struct ta_problem *why);

/* Opens a port to the target NAME (null: a throwaway one) through the context's opener, or the simulator. */
enum ta_status board_open(const struct ta_context *context, const char *name, const struct ta_profile *profile,
                          struct ta_port *port, struct ta_problem *why);

/* Whether a port to PROFILE can be opened: every model behind it is there. */
enum ta_status board_can_be_made(const struct ta_context *context, const struct ta_profile *profile,
                                 struct ta_problem *why);

#endif
