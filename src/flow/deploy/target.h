/* A target that is reached through its port, with what its flash holds. */
#ifndef TA_FLOW_DEPLOY_TARGET_H
#define TA_FLOW_DEPLOY_TARGET_H

#include "flow/builder/build.h"
#include "flow/deploy/contents.h"

struct target {
    struct ta_context *context;
    const char *name; /* null for a throwaway one */
    const struct ta_profile *profile;
    struct ta_port port;
};

/* Opens the port to the target NAME, its flash as it was kept. PROFILE is borrowed until close. WHY is never null in these: ports
   get it. It is the same as target_connect, before what is kept is looked at, and then target_restore, which closes it when it fails. */
enum ta_status target_open(struct ta_context *context, const char *name, const struct ta_profile *profile,
                           struct target *target, struct ta_problem *why);
enum ta_status target_connect(struct ta_context *context, const char *name, const struct ta_profile *profile,
                              struct target *target, struct ta_problem *why);
enum ta_status target_restore(struct target *target, struct ta_problem *why);
void target_close(struct target *target);

/* Keeps the flash's contents for the next time. */
enum ta_status target_keep(struct target *target, struct ta_problem *why);

/* Programs what of IMAGE lies in flash, reads it back and compares. */
enum ta_status target_program(struct target *target, const struct ta_image *image, struct ta_problem *why);

/* Whether the flash holds IMAGE already. */
bool target_holds(struct target *target, const struct ta_image *image);

/* The identity that the flash carries; false when it has none. */
bool target_identity(struct target *target, struct ta_identity *identity);

/* What the image in flash tells of itself (image.h), *LENGTH bytes; null when it tells nothing. Freed with g_free. */
char *target_about(struct target *target, size_t *length);

/* A project whose image is on its target: what run, verify and all that needs a program there begin with. */

/* Puts an empty card where there is one, so that a trial does not depend on what a program wrote before. What the bench keeps stays. */
enum ta_status target_empty_cards(struct target *target, struct ta_problem *why);

/* What a target is to hold: the image as its sources are now; the one that was built last; what it holds. */
enum freshness { UP_TO_DATE, AS_BUILT, AS_IS };

struct deployed {
    struct workspace workspace;
    struct images images; /* AS_IS, none unless they are the ones that the target holds */
    struct target target;
    struct built built;
    bool programmed, taken;   /* the flash had to be programmed now; before the build was over */
    struct contents contents; /* of the target, where that was programmed */
    char identity[TA_IDENTITY_TEXT];
};

/* What a command wants with it: DOING, in words, which STARTS something there or only puts it there. TAKER is asked with the workspace loaded,
   and takes what the target holds already; that may be later, after deployed_open. */
struct deploying {
    const char *doing;
    enum starts starts;
    enum freshness freshness;
    bool keeps_later; /* the caller calls deployed_keep */
    struct taker taker;
};

/* Opens the project in FOLDER and its target, powered off, and sees to it that the target holds what is wanted; the project is this
   process's alone meanwhile. What had to be done for it stands in REPORT, a line each, and as facts compiled and programmed. When the
   image cannot be built, REPORT is the build's, and the answer TA_E_NO. Always followed by deployed_close, which does what was left to
   deployed_keep. */
enum ta_status deployed_open(struct ta_context *context, const char *folder, const struct deploying *deploying,
                             struct deployed *deployed, struct ta_report *report, struct ta_problem *why);
void deployed_close(struct deployed *deployed);

/* Has the bench keep what was programmed, and leaves the project to others. */
enum ta_status deployed_keep(struct deployed *deployed, struct ta_problem *why);

/* Of one that starts from its card: TA_E_NO when that holds nothing to start from; REPORT has a note of it. */
enum ta_status target_boots(struct target *target, struct ta_report *report, struct ta_problem *why);

/* Loads the project's fabric, when it has one, and the target holds another: DEPLOYED's programmed is set then. */
enum ta_status fabric_deploy(struct deployed *deployed, struct ta_report *report, struct ta_problem *why);
/* Whether the fabric DEVICE of the target NAME, as the bench keeps it, holds no image. */
bool fabric_is_blank(const struct ta_context *context, const char *name, const char *device);
/* Of a target that is taken as it is: TA_E_NO when the project has a fabric and the target's is blank, a warning when it is another one. */
enum ta_status fabric_as_is(struct deployed *deployed, struct ta_report *report, struct ta_problem *why);

#endif
