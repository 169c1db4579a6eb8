/* What the last verify of a project said. Private to the project, in .tanchor/. */
#ifndef TA_FLOW_VERIFIED_H
#define TA_FLOW_VERIFIED_H

#include "flow/workspace.h"

struct verified {
    char identity[TA_IDENTITY_TEXT];
    unsigned passed, failed;
};

/* False when nothing was verified yet. */
bool verified_read(struct workspace *workspace, struct verified *verified);
#define VERIFIED_SETUP ".tanchor/verified-setup.yaml" /* the setup with which all trials passed last */

/* Keeps the setup as it is now as that one. */
enum ta_status setup_was_verified(struct workspace *workspace, struct ta_problem *why);

enum ta_status verified_write(struct workspace *workspace, const struct verified *verified, struct ta_problem *why);

#endif
