/* Objects that were compiled before, by any project of this user: taken instead of compiled again when all that went in is the same. */
#ifndef TA_FLOW_BUILDER_CACHE_H
#define TA_FLOW_BUILDER_CACHE_H

#include "flow/builder/records.h"

struct cache;

#define CACHE_BYTES (UINT64_C(1) << 30) /* unless preferences.yaml says otherwise */

/* The user's cache; null when it is turned off, and, which REPORT tells, when others may have put something into it. LIMIT_BYTES is what
   it may hold. */
struct cache *cache_open(struct ta_context *context, uint64_t limit_bytes, struct ta_report *report);

/* Evicts what was not used longest when the limit is passed, and frees. CACHE may be null, here and below. */
void cache_close(struct cache *cache);

/* What is known of an object that was found: the numbers of the files that went into it, and what the compiler said. */
struct cached {
    GArray *inputs; /* of uint32_t */
    char **names, *messages;
    double seconds;
};
void cached_clear(struct cached *cached);

/* Looks for the object of SOURCE, compiled by COMMAND, whose other inputs are as they are now; writes it to OBJECT, an absolute path. */
bool cache_take(struct cache *cache, struct tracked_files *files, const char *source, const uint8_t *command,
                const char *object, struct cached *cached);

/* Keeps OBJECT, which RECORD tells of. What cannot be kept is not: the cache is only a help. */
void cache_put(struct cache *cache, struct tracked_files *files, const struct record *record, const char *object);

#endif
