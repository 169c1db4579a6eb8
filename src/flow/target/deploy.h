/* A project whose image is on its target. */
#ifndef TA_FLOW_TARGET_DEPLOY_H
#define TA_FLOW_TARGET_DEPLOY_H

#include "flow/project/workspace.h"
#include "flow/target/target.h"

struct deployed {
    struct workspace workspace;
    struct ta_image image;
    struct target target;
    bool programmed; /* the flash had to be programmed now */
    char identity[TA_IDENTITY_TEXT];
};

/* Opens the project in FOLDER and its target, powered off, and programs the image unless it is there already; the project is
   this process's alone meanwhile, for DOING. Always followed by deployed_close. */
enum ta_status deployed_open(struct ta_context *context, const char *folder, const char *doing,
                             struct deployed *deployed, struct ta_problem *why);
void deployed_close(struct deployed *deployed);

/* Warns when a source changed since the image was built. */
void deployed_warn_stale(struct deployed *deployed, struct ta_report *report);

#endif
