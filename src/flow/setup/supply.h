/* What a project needs and this computer has not got: who offers it, and fetching it in one go. */
#ifndef TA_FLOW_SETUP_SUPPLY_H
#define TA_FLOW_SETUP_SUPPLY_H

#include "flow/setup/versions.h"

/* Fetches and installs the COUNT offers, when the context agrees; *FETCHED tells whether it did. What must be accepted is asked
   for first, so that nothing is fetched in vain. */
enum ta_status supply_fetch(struct ta_context *context, const struct offer *const *offers, size_t count, bool *fetched,
                            struct ta_report *report, struct ta_problem *why);

/* What is said of offers that were not agreed to: "surge 1.0.0 (2.1 KiB from http://...)"; freed with g_free. */
char *supply_text(struct ta_context *context, const struct offer *const *offers, size_t count);

/* Fetches an example that is not here, with what it needs, when a depot offers it and the context agrees. VERSION may be
   null. TA_E_NO when it does not agree, TA_E_INPUT when nobody has it. */
enum ta_status supply_example(struct ta_context *context, const char *name, const char *version,
                              struct ta_report *report, struct ta_problem *why);

/* Fetches what NEEDS of BY lists and is not here, when the context agrees; else a note says how to get it. What cannot be had
   is a problem in REPORT, which says what there is. */
enum ta_status supply_needs(struct ta_context *context, const char *by, const struct project_needs *needs,
                            struct ta_report *report, struct ta_problem *why);

#endif
