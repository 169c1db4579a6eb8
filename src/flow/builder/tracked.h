/* The files that builds read: what each one holds now, by content. A time stamp stands for the content only where it cannot lie. */
#ifndef TA_FLOW_BUILDER_TRACKED_H
#define TA_FLOW_BUILDER_TRACKED_H

#include "flow/project/project.h"
#include "host/sha256.h"
#include "host/stamp.h"

enum { CONTENT_BYTES = SHA256_BYTES };

struct tracked_files;

/* Of the project in WORKSPACE, which is borrowed. */
struct tracked_files *tracked_new(struct workspace *workspace);

/* They are of PLAN, which is borrowed: its folders are where headers are looked for. Before anything is asked but for stamps. */
void tracked_begin_plan(struct tracked_files *files, const struct plan *plan);
void tracked_free(struct tracked_files *files);

/* The number of the file at PATH, relative to the project or absolute; the same for each way to write it. */
uint32_t tracked_id(struct tracked_files *files, const char *path);
uint32_t tracked_count(const struct tracked_files *files);

/* Its path, relative to the project when it lies there; its absolute path; its name on every computer. */
const char *tracked_path(const struct tracked_files *files, uint32_t id);
const char *tracked_full_path(struct tracked_files *files, uint32_t id);
const char *tracked_name(struct tracked_files *files, uint32_t id);

/* The SHA-256 of what the file holds; null when it cannot be read. Looked at once, and again after tracked_again. */
const uint8_t *tracked_content(struct tracked_files *files, uint32_t id);

/* The file of that NAME which holds CONTENT, on this computer; false when none does. */
bool tracked_find(struct tracked_files *files, const char *name, const uint8_t *content, uint32_t *id);

/* When it was modified last, in nanoseconds; 0 when it is not there. */
int64_t tracked_modified_ns(struct tracked_files *files, uint32_t id);

/* It held CONTENT when its stamp was STAMP: told of an earlier build. What is trusted in turn; false: nothing. */
void tracked_remember(struct tracked_files *files, uint32_t id, const struct stamp *stamp, const uint8_t *content);
bool tracked_learned(const struct tracked_files *files); /* whether another run would have to read less */
bool tracked_settled(struct tracked_files *files, uint32_t id, struct stamp *stamp);

/* Looks at all that are remembered, at once; whether the one of that number had another stamp than is remembered. */
void tracked_look_at_known(struct tracked_files *files);
bool tracked_has_other_stamp(const struct tracked_files *files, uint32_t id);

/* We wrote the file: what was known of it no longer holds, and nobody else saved it. */
void tracked_written(struct tracked_files *files, uint32_t id);

/* A compile begins: what is saved from now on is saved during it. Waits, some milliseconds at most, until the clock that file systems
   stamp with is past all that was looked at. */
struct moment {
    int64_t stamped_ns, real_us, steady_us;
};
struct moment tracked_begin(const struct tracked_files *files);

/* Looks at a file anew. Whether it may have been saved since BEGIN. */
bool tracked_again(struct tracked_files *files, uint32_t id, const struct moment *begin);

/* Which files could stand for another: a fingerprint of the headers that lie, under the same name, in the folders where compilers look for
   the COUNT files of IDS, and in those of the files themselves. It changes when a header comes that hides one, or goes. NAMES (may be
   null, ends with null) are more that are looked for. */
uint64_t tracked_shadows(struct tracked_files *files, const uint32_t *ids, size_t count, char *const *names);

/* Whether files came or went in those folders since BEGIN. */
bool tracked_came(struct tracked_files *files, const uint32_t *ids, size_t count, const struct moment *begin);

#endif
