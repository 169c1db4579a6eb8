/* Any bytes as an archive: unpacked whole below the folder, or refused with nothing left. */
#include "host/archive.h"
#include "host/files.h"

#include <glib.h>
#include <glib/gstdio.h>
#include <stdint.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <unistd.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static char *folder;
    const struct archive_limits limits = {.bytes = 1 << 20, .files = 64, .ratio = 200};
    struct ta_problem why;
    unsigned files;
    if (!folder)
        folder = g_dir_make_tmp("fuzz-archive-XXXXXX", NULL);
    int file = memfd_create("archive", 0);
    g_autofree char *path = g_strdup_printf("/proc/self/fd/%d", file);
    g_autofree char *to = g_build_filename(folder, "to", NULL);
    if (write(file, data, size) != (ssize_t)size)
        abort();
    bool good = archive_unpack(path, to, &limits, NULL, &files, &why) == TA_OK;
    if (g_file_test(to, G_FILE_TEST_EXISTS) != good)
        abort(); /* something was left, or is missing */
    folder_remove(to);
    if (!folder_is_empty(folder))
        abort(); /* something escaped */
    close(file);
    return 0;
}
