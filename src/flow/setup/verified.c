#include "flow/setup/setup.h"

#include <glib/gstdio.h>
#include <stdio.h>

#define VERIFIED_FILE ".tanchor/verified"

enum { SETUP_BYTES = 1 << 20, LINE_BYTES = 200 };

bool verified_read(struct workspace *workspace, struct verified *verified) {
    g_autofree char *text = NULL;
    size_t length;
    return !file_read(workspace_path(workspace, VERIFIED_FILE), LINE_BYTES, &text, &length, NULL) &&
           sscanf(text, "%64[0-9a-f] %u passed %u failed", verified->identity, &verified->passed, &verified->failed) ==
               3;
}

enum ta_status verified_write(struct workspace *workspace, const struct verified *verified, struct ta_problem *why) {
    g_autofree char *line =
        g_strdup_printf("%s %u passed %u failed\n", verified->identity, verified->passed, verified->failed);
    g_autofree char *setup = NULL;
    const char *path = workspace_path(workspace, VERIFIED_FILE);
    struct verified before;
    bool same = verified_read(workspace, &before) && before.passed == verified->passed &&
                before.failed == verified->failed && !strcmp(before.identity, verified->identity);
    size_t length;
    enum ta_status status = folder_make(workspace_path(workspace, ".tanchor"), why);
    if (!same) /* then it is of another image; and unlike one that replaces another, a new file need not wait for the disk */
        g_unlink(path);
    if (!status && !same)
        status = file_write(path, line, strlen(line), why);
    if (status || verified->failed)
        return status;
    status = file_read(workspace_path(workspace, "setup.yaml"), SETUP_BYTES, &setup, &length, why);
    return status ? status : file_write_changed(workspace_path(workspace, VERIFIED_SETUP), setup, length, why);
}
