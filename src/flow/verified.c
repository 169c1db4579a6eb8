#include "flow/verified.h"

#include "host/files.h"
#include "host/json_file.h"

#include <glib.h>
#include <jansson.h>

#define VERIFIED_FILE ".tanchor/verified.json"

bool verified_read(struct workspace *workspace, struct verified *verified) {
    json_t *file = json_load_file(workspace_path(workspace, VERIFIED_FILE), 0, NULL);
    const char *identity = NULL;
    int passed = 0, failed = 0;
    bool good =
        file && !json_unpack(file, "{s:s, s:i, s:i}", "identity", &identity, "passed", &passed, "failed", &failed);
    if (good) {
        g_strlcpy(verified->identity, identity, sizeof verified->identity);
        verified->passed = (unsigned)passed;
        verified->failed = (unsigned)failed;
    }
    json_decref(file);
    return good;
}

enum ta_status verified_write(struct workspace *workspace, const struct verified *verified, struct ta_problem *why) {
    json_t *file = json_pack("{s:s, s:i, s:i}", "identity", verified->identity, "passed", (int)verified->passed,
                             "failed", (int)verified->failed);
    enum ta_status status = folder_make(workspace_path(workspace, ".tanchor"), why);
    if (!status)
        status = json_file_write(workspace_path(workspace, VERIFIED_FILE), file, false, why);
    json_decref(file);
    return status;
}
