/* A target that is reached through its port, with what it holds while its power is off. */
#ifndef TA_FLOW_DEPLOY_TARGET_H
#define TA_FLOW_DEPLOY_TARGET_H

#include "flow/deploy/contents.h"

struct target {
    struct ta_context *context;
    const char *name; /* null for a throwaway one */
    const struct ta_profile *profile;
    struct lock hold; /* of whoever changes or powers it: nobody else does until target_close */
    bool held, simulated;
    struct ta_port port;
    struct contents contents; /* what the bench keeps of it, and what was put there since */
};

/* Opens the target NAME, powered off, holding what the bench keeps. DOING ("run") is what it is held for; null for one who only looks. The
   context's patience goes for a target that somebody else holds. PROFILE is borrowed until target_close, which always follows. WHY is never
   null in all of these: ports get it. */
enum ta_status target_open(struct ta_context *context, const char *name, const struct ta_profile *profile,
                           const char *doing, struct target *target, struct ta_problem *why);
void target_close(struct target *target);

/* Another simulated target of the same profile, which holds what LIKE does; nobody else knows of it, and nothing of it is kept. */
enum ta_status target_copy(const struct target *like, struct target *target, struct ta_problem *why);

/* Has the bench keep what the target holds now, as far as it changed. The first is for one of which all that changed is known: what was
   programmed or stored through these functions. */
enum ta_status target_keep_known(struct target *target, struct ta_problem *why);
enum ta_status target_keep(struct target *target, struct ta_problem *why);

/* Programs what of IMAGE lies in flash, reads it back and compares. */
enum ta_status target_program(struct target *target, const struct ta_image *image, struct ta_problem *why);

/* Whether the flash holds IMAGE already; whether anything of IMAGE is for flash. */
bool target_holds(struct target *target, const struct ta_image *image);
bool target_has_flash_for(const struct target *target, const struct ta_image *image);

/* Whether a flash that IMAGES leave alone holds another image, whose harts would run that beside them. */
bool target_holds_others(struct target *target, const struct images *images);

/* The identity of the image that the target would start, looked for in the flash that its harts start in, then in the others; false when
   there is none. ABOUT (may be null) is what that image tells of itself (image.h), *LENGTH bytes, freed with g_free; null when it tells
   nothing. */
bool target_identity(struct target *target, struct ta_identity *identity, char **about, size_t *length);

/* Writes LENGTH bytes as the first ones that DEVICE keeps. */
enum ta_status target_store(struct target *target, const char *device, const void *bytes, size_t length,
                            struct ta_problem *why);

/* Puts an empty card where there is one, so that a trial does not depend on what a program wrote before. What the bench keeps stays. */
enum ta_status target_empty_cards(struct target *target, struct ta_problem *why);

/* What the card holds that TARGET starts from as its switches stand: *STARTS is false when it starts from flash, *IDENTITY zeros when the
   card's image carries none. TA_E_NO when the card holds nothing to start from. */
enum ta_status target_boots(struct target *target, bool *starts, struct ta_identity *identity, struct ta_problem *why);

#endif
