/* What is checked of a project when it is imported, all at once. */
#ifndef TA_FLOW_IMPORT_CHECKS_H
#define TA_FLOW_IMPORT_CHECKS_H

#include "tameanchor/chain.h"

/* WORK holds the project as it will be; ORIGINAL (null: none) the folder that it was copied from, which paths that lead
   outside are seen from. */
struct import_check {
    struct ta_context *context;
    const char *work, *original;
    bool in_place, gather, anyway;
    bool drafted; /* anchor.yaml is ours, not the author's */
};

/* Adds the findings; with GATHER, copies in what lies outside and rewrites what named it in WORK; fetches what is needed, when
   the context agrees. TA_E_NO when a finding is a problem, unless ANYWAY: the project would not be whole. */
enum ta_status import_check(const struct import_check *check, struct ta_report *report, struct ta_problem *why);

#endif
