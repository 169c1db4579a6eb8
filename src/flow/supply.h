/* What a project needs and this computer has not got: who offers it, and fetching it in one go. */
#ifndef TA_FLOW_SUPPLY_H
#define TA_FLOW_SUPPLY_H

#include "core/models.h"
#include "tameanchor/chain.h"

/* Fetches an example that is not here, with what it needs, when a depot offers it and the context agrees. VERSION may be
   null. TA_E_NO when it does not agree, TA_E_INPUT when nobody has it. */
enum ta_status supply_example(struct ta_context *context, const char *name, const char *version,
                              struct ta_report *report, struct ta_problem *why);

/* Fetches what NEEDS lists and is not here, when the context agrees; else a note says how to get it. What no catalog has is a
   problem in REPORT, which says which versions there are. */
enum ta_status supply_needs(struct ta_context *context, const struct project_needs *needs, struct ta_report *report,
                            struct ta_problem *why);

#endif
