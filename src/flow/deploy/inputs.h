/* What people do to a target, as they write it. */
#ifndef TA_FLOW_DEPLOY_INPUTS_H
#define TA_FLOW_DEPLOY_INPUTS_H

#include "flow/deploy/target.h"

/* Sets an input: "heading=90 deg", "button A=1", "touch=120,80", "usb cable=plugged", or "touch=" for no finger. */
enum ta_status input_set(struct target *target, const char *input, struct ta_problem *why);

/* Somebody's hands, which do one thing after another: the button that is pressed (null: none is) and let go at UNTIL_NS; from FREE_NS on they
   can do the next. Begins as zero. */
struct hands {
    const char *presses;
    uint64_t until_ns, free_ns;
};

/* What they do at the desk, as struct ta_run has it, at NOW_NS of device time. */
enum ta_status hands_do(struct hands *hands, struct target *target, const char *what, uint64_t now_ns,
                        struct ta_problem *why);

/* Lets the button go when its time has come. */
enum ta_status hands_let_go(struct hands *hands, struct target *target, uint64_t now_ns, struct ta_problem *why);

#endif
