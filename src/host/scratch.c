#include "host/scratch.h"

#include "host/files.h"

#include <glib.h>
#include <linux/magic.h>
#include <stdbool.h>
#include <sys/stat.h>
#include <sys/vfs.h>

/* On a disk, to make and to remove a file takes longer than to write it. */
static bool is_spare_memory(const char *folder) {
    static const uint64_t plenty_bytes = UINT64_C(1) << 30;
    struct statfs about;
    return folder && *folder == '/' && !statfs(folder, &about) && about.f_type == TMPFS_MAGIC &&
           (uint64_t)about.f_bavail * (uint64_t)about.f_bsize >= plenty_bytes;
}

enum ta_status scratch_begin(const char *otherwise, struct growing *scratch, struct ta_problem *why) {
    const char *const places[] = {g_getenv("XDG_RUNTIME_DIR"), "/dev/shm", otherwise};
    enum ta_status status = TA_E_SYSTEM;
    for (size_t i = 0; status && i < G_N_ELEMENTS(places); ++i) {
        if (i + 1 < G_N_ELEMENTS(places) && !is_spare_memory(places[i]))
            continue;
        status = growing_begin(places[i], scratch, i + 1 < G_N_ELEMENTS(places) ? NULL : why);
        if (!status && chmod(scratch->folder, 0700)) {
            status = file_failed(why, "change the permissions of", scratch->folder);
            growing_end(scratch);
        }
    }
    return status;
}
