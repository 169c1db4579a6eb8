/* A project whose image is on its target: what deploy, run, verify and all that needs a program there begin with. */
#ifndef TA_FLOW_DEPLOY_DEPLOYED_H
#define TA_FLOW_DEPLOY_DEPLOYED_H

#include "flow/builder/build.h"
#include "flow/deploy/target.h"

/* What a target is to hold: the image as its sources are now; the one that was built last; what it holds. */
enum freshness { UP_TO_DATE, AS_BUILT, AS_IS };

struct deployed {
    const char *doing; /* in words: "run" */
    struct workspace workspace;
    struct images images; /* AS_IS, none unless they are the ones that the target holds */
    struct target target; /* held until deployed_close */
    struct built built;
    bool programmed; /* something had to be */
    char identity[TA_IDENTITY_TEXT];
    char *memory_map; /* of the images, as the build's file has it; null for none */
};

/* Opens the project in FOLDER for DOING, loaded, and this process's alone. Always followed by deployed_close. */
enum ta_status deployed_begin(struct ta_context *context, const char *folder, const char *doing,
                              struct deployed *deployed, struct ta_problem *why);

/* Opens the project's target, powered off, and sees to it that it holds what FRESHNESS says and that its switches let STARTS run. What had to
   be done for that stands in REPORT, a line each, and as facts compiled and programmed. When the image cannot be built, REPORT is the
   build's, and the answer TA_E_NO. From then on others may build the project; nobody else can use the target. */
enum ta_status deployed_open(struct deployed *deployed, enum starts starts, enum freshness freshness,
                             struct ta_report *report, struct ta_problem *why);
void deployed_close(struct deployed *deployed);

/* Sees to it that DEPLOYED's target holds its images, and has the bench keep them. */
enum ta_status deployed_program(struct deployed *deployed, struct ta_problem *why);
void deployed_report(struct deployed *deployed, struct ta_report *report);

/* Loads the project's fabric, when it has one, and the target holds another: DEPLOYED's programmed is set then. */
enum ta_status fabric_deploy(struct deployed *deployed, struct ta_report *report, struct ta_problem *why);
/* Whether the fabric DEVICE of the target NAME, as the bench keeps it, holds no image. */
bool fabric_is_blank(const struct ta_context *context, const char *name, const char *device);
/* Of a target that is taken as it is: TA_E_NO when the project has a fabric and the target's is blank, a warning when it is another one. */
enum ta_status fabric_as_is(struct deployed *deployed, struct ta_report *report, struct ta_problem *why);

#endif
