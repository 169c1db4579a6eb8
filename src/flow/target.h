/* Targets on the bench: each a folder with target.yaml and what its flash holds. */
#ifndef TA_FLOW_TARGET_H
#define TA_FLOW_TARGET_H

#include "base/arena.h"
#include "core/models.h"
#include "tameanchor/chain.h"
#include "tameanchor/image.h"

#include <glib.h>

struct target {
    struct ta_context *context;
    const char *name; /* null for a throwaway one */
    const struct ta_profile *profile;
    struct ta_port port;
};

/* The bench's targets by name, sorted, ending with null; g_strfreev. */
char **target_names(const struct ta_context *context);

/* The profile of the target NAME. TA_E_INPUT when the bench has none of that name. */
enum ta_status target_profile(const struct ta_context *context, const char *name, struct arena *arena,
                              struct ta_profile *profile, struct ta_problem *why);

/* What target.yaml of NAME says, read into ARENA and written. */
enum ta_status target_read(const struct ta_context *context, const char *name, struct arena *arena,
                           struct bench_target *target, struct ta_problem *why);
enum ta_status target_write(const struct ta_context *context, const struct bench_target *target,
                            struct ta_problem *why);

enum ta_status target_add(const struct ta_context *context, const char *name, const char *profile,
                          struct ta_problem *why);

/* How the switch NAME of a target stands: as it was set, else its first position. "power" is "on" unless it was set. Null when
   the profile has no such switch. */
const char *target_state(const struct bench_target *target, const struct ta_profile *profile, const char *name);

/* Whether a machine can be made from PROFILE: every model behind it is there. */
enum ta_status target_can_be_made(struct ta_context *context, const struct ta_profile *profile, struct ta_problem *why);

/* Opens the port to the target NAME, its flash as it was kept. PROFILE is borrowed until close. */
enum ta_status target_open(struct ta_context *context, const char *name, const struct ta_profile *profile,
                           struct target *target, struct ta_problem *why);
void target_close(struct target *target);

/* Keeps the flash's contents for the next time. */
enum ta_status target_keep(struct target *target, struct ta_problem *why);

/* Programs what of IMAGE lies in flash, reads it back and compares. */
enum ta_status target_program(struct target *target, const struct ta_image *image, struct ta_problem *why);

/* Whether the flash holds IMAGE already. */
bool target_holds(struct target *target, const struct ta_image *image);

/* The identity that the flash carries; false when it has none. */
bool target_identity(struct target *target, struct ta_identity *identity);

#endif
