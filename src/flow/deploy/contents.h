/* What a target holds while its power is off: its flash, and what its devices store. The bench keeps that in a file for each, up to the last
   byte that is not blank; of hardware, which keeps its flash by itself, there is nothing to keep. */
#ifndef TA_FLOW_DEPLOY_CONTENTS_H
#define TA_FLOW_DEPLOY_CONTENTS_H

#include "flow/project/project.h"

struct target;
struct contents {
    GPtrArray *parts; /* null when there is nothing */
};

/* Reads what the bench keeps of TARGET, and puts it there: TARGET is blank. Cleared by contents_clear, also on failure. */
enum ta_status contents_load(struct target *target, struct contents *contents, struct ta_problem *why);
enum ta_status contents_put(const struct contents *contents, struct target *target, struct ta_problem *why);
void contents_clear(struct contents *contents);

/* Notes that SIZE bytes were programmed from ADDRESS on; that DEVICE was given those as its first ones. */
void contents_programmed(struct contents *contents, uint64_t address, const void *bytes, size_t size);
void contents_stored(struct contents *contents, const char *device, const void *bytes, size_t size);

/* Takes over from TARGET what has other contents by now. */
enum ta_status contents_take(struct contents *contents, struct target *target, struct ta_problem *why);

/* Writes the files of what changed since they were read or written last. */
enum ta_status contents_save(struct contents *contents, const struct target *target, struct ta_problem *why);

/* How many bytes DEVICE keeps, up to the last one that is not blank. */
size_t contents_stored_bytes(const struct contents *contents, const char *device);

#endif
