/* Which versions of an SDK and its components a project gets: all that is on this computer, resolved. */
#ifndef TA_FLOW_VERSIONS_H
#define TA_FLOW_VERSIONS_H

#include "flow/workspace.h"

/* What the user wants beside what the manifest needs. All may be null or empty. */
struct version_wishes {
    const char *sdk;         /* a name of needs.sdk; null: the first */
    const char *sdk_version; /* exactly this */
    struct needs with;       /* components, with ranges */
    struct texts without;
    const struct setup *before; /* kept where it still fits */
};

struct versions {
    const char *sdk, *sdk_version;
    struct needs components; /* each with its exact version, needs first */
    bool kept;               /* it is what was before */
};

/* TA_E_NO when nothing fits: REPORT then holds each requirement of a smallest set that cannot hold together, and the nearest
   choice that would. Memory is the workspace's. */
enum ta_status versions_choose(struct workspace *workspace, const struct version_wishes *wishes,
                               struct versions *versions, struct ta_report *report, struct ta_problem *why);

#endif
