/* SHA-256 of files, remembered between runs by path and stamp (stamp.h), so that what did not change is not read again. */
#ifndef TA_HOST_DIGESTS_H
#define TA_HOST_DIGESTS_H

#include "host/files.h"

struct digests;

/* Opens what FILE remembers; a missing or damaged one remembers nothing, and so does null, which is not written either. */
struct digests *digests_open(const char *file);

/* The digest of the file at PATH: the first 64 characters of a text borrowed until close. Null when it cannot be read.
 */
const char *digests_of(struct digests *digests, const char *path);

/* Writes FILE again, and its folder when there is none, when something new was learned; and frees. */
void digests_close(struct digests *digests);

#endif
