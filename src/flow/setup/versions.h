/* Which versions of an SDK and its components a project gets. Every question about that is put to the resolver here: what is to
   be chosen, what must be fetched for it, what a bundle holds, and whether a setup is still right. */
#ifndef TA_FLOW_SETUP_VERSIONS_H
#define TA_FLOW_SETUP_VERSIONS_H

#include "flow/context.h"
#include "host/package_index.h"

/* BY ("tide-lamp") needs NEEDS; the rest is what the user wants beside that, and may be null or empty. */
struct version_question {
    const char *by;
    const struct project_needs *needs;
    const char *sdk;         /* one of needs.sdk; null: the first that will do */
    const char *sdk_version; /* exactly this */
    struct needs with;       /* components more, with ranges */
    struct texts without;
    const struct setup *before; /* kept where it still fits */
    bool offered;               /* what depots offer counts too, behind what is here */
};

/* The answer. MISSING, in the order in which they must be installed, are not here but offered. */
struct versions {
    const char *sdk, *sdk_version;
    struct pins components; /* needs first */
    bool kept;              /* it is what was before */
    const struct offer **missing;
    size_t missing_count;
};

/* TA_E_NO when nothing fits: REPORT (may be null) then holds each requirement of a smallest set that cannot hold together, and
   WHY the nearest choice that would. */
enum ta_status versions_choose(struct ta_context *context, const struct version_question *question,
                               struct versions *versions, struct ta_report *report, struct ta_problem *why);

/* Whether the versions of SETUP do for what BY needs; TA_E_NO says why not. */
enum ta_status versions_check(struct ta_context *context, const char *by, const struct project_needs *needs,
                              const struct setup *setup, struct ta_problem *why);

#endif
