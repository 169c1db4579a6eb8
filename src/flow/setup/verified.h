/* What the last verify of a project said. Private to the project, in .tanchor/. */
#ifndef TA_FLOW_SETUP_VERIFIED_H
#define TA_FLOW_SETUP_VERIFIED_H

#include "flow/project/workspace.h"

#define VERIFIED_SETUP ".tanchor/verified-setup.yaml" /* the setup with which all trials passed last */

struct verified {
    char identity[TA_IDENTITY_TEXT];
    unsigned passed, failed;
};

/* False when nothing was verified yet. */
bool verified_read(struct workspace *workspace, struct verified *verified);

/* Keeps it, and, when nothing failed, the setup as it is now. */
enum ta_status verified_write(struct workspace *workspace, const struct verified *verified, struct ta_problem *why);

#endif
