/* Copies of folders. */
#ifndef TA_HOST_COPY_H
#define TA_HOST_COPY_H

#include "host/files.h"

/* Copies the folder FROM with all that is below it to TO, which must not exist. Links that stay inside are kept as links; any
   that leave the folder, and anything that is neither file, folder nor link, is refused. SKIP (may be null, ends with null)
   names entries of FROM itself that stay behind. Files of more than MOST_BYTES together are refused. A failed copy leaves nothing. *FILES
   counts files. */
enum ta_status folder_copy(const char *from, const char *to, const char *const *skip, uint64_t most_bytes,
                           const struct file_watch *watch, unsigned *files, struct ta_problem *why);

#endif
