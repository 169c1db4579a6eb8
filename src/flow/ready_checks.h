/* The checks that ready makes, each of one subject. */
#ifndef TA_FLOW_READY_CHECKS_H
#define TA_FLOW_READY_CHECKS_H

#include "flow/setup/setup.h"

struct ready_row {
    const char *subject;
    setup_check *check;
    bool needs_setup; /* it can only be made when the setup was loaded */
};

/* In the order in which one depends on the other; ends with a null subject. */
extern const struct ready_row ready_rows[];

/* Applies what is safe: blanks around settings, a missing settings.env, switches and power of the target. Each is told in
   REPORT. */
enum ta_status ready_mend(struct workspace *workspace, struct ta_report *report, struct ta_problem *why);

#endif
