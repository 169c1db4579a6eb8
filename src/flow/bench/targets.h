/* Targets on the bench: each a folder with target.yaml and what its flash holds. */
#ifndef TA_FLOW_BENCH_TARGETS_H
#define TA_FLOW_BENCH_TARGETS_H

#include "flow/context.h"
#include "host/lock.h"

/* The bench's targets by name, sorted, ending with null; g_strfreev. */
char **target_names(const struct ta_context *context);
bool target_exists(const struct ta_context *context, const char *name);

/* FILE (null: none) in the folder of the target NAME; freed with g_free. */
char *target_path(const struct ta_context *context, const char *name, const char *file);

/* What target.yaml of NAME says. TA_E_INPUT when the bench has none of that name. */
enum ta_status target_read(const struct ta_context *context, const char *name, struct bench_target *target,
                           struct ta_problem *why);
enum ta_status target_write(const struct ta_context *context, const struct bench_target *target,
                            struct ta_problem *why);

/* The bench changes under this: whoever reads a target to write it again holds it. */
enum ta_status bench_lock(struct ta_context *context, const char *doing, struct lock *lock, struct ta_problem *why);

/* How the switch NAME of a target stands: as it was set, else its first position. "power" is "on" unless it was set. Null when
   the profile has no such switch. */
const char *target_state(const struct bench_target *target, const struct ta_profile *profile, const char *name);

#endif
