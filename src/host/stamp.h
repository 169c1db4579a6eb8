/* What a file system says of a file: a stamp that stands for its content where it cannot lie. */
#ifndef TA_HOST_STAMP_H
#define TA_HOST_STAMP_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Programs cannot set the time of the change of a file's inode. Times are in nanoseconds since 1970. */
struct stamp {
    int64_t size, modified_ns, changed_ns, inode;
};

/* The stamp of the regular file at PATH; false, and zeros, when there is none. */
bool stamp_of(const char *path, struct stamp *stamp);
/* The same for COUNT files at once: thousands take several processors, and folder by folder. */
void stamps_of(const char *const *paths, size_t count, struct stamp *stamps);

bool stamps_equal(const struct stamp *a, const struct stamp *b);

/* Whether the file cannot change any more without changing its stamp: one that changed a moment ago may change again within the same tick of
   the clock that file systems stamp with. Those that count whole seconds need seconds for that. Asked before the file is read. */
bool stamp_is_settled(const struct stamp *stamp);

/* That clock, which lags behind others by a tick. */
int64_t stamp_now_ns(void);

#endif
