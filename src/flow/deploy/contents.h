/* What a target holds while its power is off: its flash, and what its devices store. The bench keeps that in a file for each, up to the last byte
   that is not blank; of hardware, which keeps its flash by itself, there is nothing to keep. */
#ifndef TA_FLOW_CONTENTS_H
#define TA_FLOW_CONTENTS_H

#include "flow/project/project.h"

struct target;
struct contents {
    GPtrArray *parts; /* null when there is nothing */
};

/* Reads what TARGET holds, or what the bench keeps of it. Freed with contents_clear, also on failure. */
enum ta_status contents_read(struct target *target, struct contents *contents, struct ta_problem *why);
enum ta_status contents_load(struct target *target, struct contents *contents, struct ta_problem *why);
void contents_clear(struct contents *contents);

/* Puts CONTENTS into TARGET, which is blank and of the same profile, or keeps them on the bench as those of the target NAME. */
enum ta_status contents_write(const struct contents *contents, struct target *target, struct ta_problem *why);
enum ta_status contents_save(const struct contents *contents, const struct ta_context *context, const char *name,
                             struct ta_problem *why);

/* The identity that the flash carries; false when it has none. */
bool contents_identity(const struct contents *contents, struct ta_identity *identity);

/* Where the bench keeps what the flash MEMORY of the target NAME holds, and what DEVICE of it keeps, a card's contents. Freed with g_free. */
char *target_flash_path(const struct ta_context *context, const char *name, const char *memory);
char *target_store_path(const struct ta_context *context, const char *name, const char *device);

#endif
