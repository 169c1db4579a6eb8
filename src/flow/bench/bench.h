/* The bench: its targets, and the boards that programs really meet. */
#ifndef TA_FLOW_BENCH_H
#define TA_FLOW_BENCH_H

#include "flow/catalog/catalog.h"
#include "host/lock.h"

/* Targets on the bench: each a folder with target.yaml and what its flash holds; one that was made from a profile that no
   catalog has keeps that too. */

#define TARGET_FILE    "target.yaml"
#define TARGET_PROFILE "profile.yaml"

/* The bench's targets by name, sorted, ending with null; g_strfreev. */
char **target_names(const struct ta_context *context);
bool target_exists(const struct ta_context *context, const char *name);

/* FILE (null: none) in the folder of the target NAME; freed with g_free. */
char *target_path(const struct ta_context *context, const char *name, const char *file);

/* Where the bench keeps what the flash MEMORY of the target NAME holds, and what DEVICE of it keeps, a card's contents. Freed with g_free. */
char *target_flash_path(const struct ta_context *context, const char *name, const char *memory);
char *target_store_path(const struct ta_context *context, const char *name, const char *device);

/* What target.yaml of NAME says. TA_E_INPUT when the bench has none of that name. */
enum ta_status target_read(const struct ta_context *context, const char *name, struct bench_target *target,
                           struct ta_problem *why);
enum ta_status target_write(const struct ta_context *context, const struct bench_target *target,
                            struct ta_problem *why);

/* Whoever uses the target NAME holds it: for DOING ("run"), until HOLD is released by lock_release or the process ends, however it does.
   Another one who holds it is waited for, PATIENCE_S seconds at the most. TA_E_NO says who that is, and since when. Looking needs no hold. */
enum ta_status target_hold(struct ta_context *context, const char *name, const char *doing, unsigned patience_s,
                           struct lock *hold, struct ta_problem *why);

/* Changing what the bench keeps of the target NAME, and which targets there are: one such change goes on at a time, and none of a target
   that somebody uses, TA_E_NO. Always followed by bench_change_end. */
struct bench_change {
    struct lock bench, target;
};
enum ta_status bench_change_begin(struct ta_context *context, const char *name, const char *doing,
                                  struct bench_change *change, struct ta_problem *why);
void bench_change_end(struct bench_change *change);

/* Makes TARGET, a new one, within such a change, once all of it is checked; sets its platform's version. Its PROFILE may be a file, which is
   kept then. */
enum ta_status target_make(struct ta_context *context, struct bench_target *target, struct ta_problem *why);

/* The version of the platform that a new target of PROFILE gets; null for none. */
const char *target_platform(struct ta_context *context, const struct ta_profile *profile);

/* One target with its board. */
struct bench_entry {
    struct bench_target target;
    struct ta_profile profile;
};
enum ta_status bench_entry_read(struct ta_context *context, const char *name, struct bench_entry *entry,
                                struct ta_problem *why);
/* As a table of one row. */
void bench_report_entry(struct ta_report *report, const struct bench_entry *entry);

/* All that makes the target NAME what it is, as a text to compare: how it was made and is reached, not what it holds or how its switches
   stand. Empty when it is not on the bench. The arena's. */
const char *target_made_of(struct ta_context *context, const char *name);

/* What to do when TARGET's platform image is not the right one: {fetch PLATFORM}, and make the target anew. Freed with g_free. */
char *target_renew_fix(const struct bench_target *target, const char *platform);

/* The advice to put a switch of the target NAME to POSITION, which can be pasted; freed with g_free. */
char *target_switch_fix(const char *name, const char *each, const char *position);

/* What shall run on a target: nothing now; what its flash holds; or what its switches choose, be it its card's. */
enum starts { STARTS_NOTHING, STARTS_FLASH, STARTS_ANY };

/* Whether the switches of the target NAME stand so that it can be reached, and runs what STARTS says; TA_E_NO names the one that does not. */
enum ta_status target_switches_allow(struct ta_context *context, const char *name, const struct ta_profile *profile,
                                     enum starts starts, struct ta_problem *why);

/* How the switch NAME of a target stands: as it was set, else its first position. "power" is "on" unless it was set. Null when
   the profile has no such switch. */
const char *target_state(const struct bench_target *target, const struct ta_profile *profile, const char *name);

/* The effective board: the profile that a target's program really meets, and the port to it. Everybody who asks about a board
   asks here, so that what is configured, linked, deployed and run on is the same one. */

/* The profile of TARGET with the keys that it sets, and what OPTIONS (may be null) of a setup change. A target whose keys make
   a profile that contradicts itself is TA_E_INPUT, with the key. */
enum ta_status board_of(struct ta_context *context, const struct bench_target *target,
                        const struct board_options *options, struct ta_profile *profile, struct ta_problem *why);

/* Whether the keys of TARGET make a board that does not contradict itself, as two things at one address would: TA_E_INPUT, with
   the key. */
enum ta_status board_check(struct ta_context *context, const struct bench_target *target, struct ta_problem *why);

/* The same as board_of for the target NAME of the bench. */
enum ta_status board_of_target(struct ta_context *context, const char *name, const struct board_options *options,
                               struct ta_profile *profile, struct ta_problem *why);

/* The board that SETUP is for: its target's, or, when that is not on the bench, one just made from its profile. */
enum ta_status board_of_setup(struct ta_context *context, const struct setup *setup, struct ta_profile *profile,
                              struct ta_problem *why);

/* Opens a port to TARGET, by the kind that it names; null: a throwaway one, simulated. The switches of a
   simulated one stand as on the bench; those of another are where they are. */
enum ta_status board_open(const struct ta_context *context, const struct bench_target *target,
                          const struct ta_profile *profile, struct ta_port *port, struct ta_problem *why);
bool target_is_simulated(const struct bench_target *target);

/* Whether TARGET, whose board is PROFILE, can be simulated, or the context knows the kind of port that it names. */
enum ta_status target_can_be_reached(const struct ta_context *context, const struct bench_target *target,
                                     const struct ta_profile *profile, struct ta_problem *why);

/* Whether PROFILE can be simulated: every model behind it is there. */
enum ta_status board_can_be_made(const struct ta_context *context, const struct ta_profile *profile,
                                 struct ta_problem *why);

/* Adds tables of PROFILE's harts, memories and connectors. */
void board_describe(struct arena *arena, const struct ta_profile *profile, struct ta_report *report);

#endif
