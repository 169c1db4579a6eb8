/* The bench: the targets that a user has. */
#ifndef TAMEANCHOR_BENCH_H
#define TAMEANCHOR_BENCH_H

#include "tameanchor/context.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The bench: the targets that the user has, each made from a profile. SET are "KEY=VALUE" texts, keys of the profile that differ
   for this target ("memory.ram.size=128 KiB"), STATE "SWITCH=POSITION" texts; both end with null and may be null. Adding
   refuses a name that is there; removing takes the target's flash with it. */
enum ta_status ta_bench_list(struct ta_context *context, struct ta_report *report, struct ta_problem *why);
enum ta_status ta_bench_show(struct ta_context *context, const char *name, struct ta_report *report,
                             struct ta_problem *why);
enum ta_status ta_bench_add(struct ta_context *context, const char *name, const char *profile, const char *const *set,
                            struct ta_report *report, struct ta_problem *why);
/* The card of a target from FILE, whole blocks of 512 bytes; and to FILE. TA_E_INPUT for a board that takes none, and a file that is none. */
enum ta_status ta_bench_card_in(struct ta_context *context, const char *name, const char *file,
                                struct ta_report *report, struct ta_problem *why);
enum ta_status ta_bench_card_out(struct ta_context *context, const char *name, const char *file,
                                 struct ta_report *report, struct ta_problem *why);
/* The target as it was delivered: blank flash, cards and fabric, switches as they come. */
enum ta_status ta_bench_factory(struct ta_context *context, const char *name, struct ta_report *report,
                                struct ta_problem *why);
enum ta_status ta_bench_switch(struct ta_context *context, const char *name, const char *const *state,
                               struct ta_report *report, struct ta_problem *why);
enum ta_status ta_bench_remove(struct ta_context *context, const char *name, struct ta_report *report,
                               struct ta_problem *why);

#ifdef __cplusplus
}
#endif
#endif
