#include "flow/setup/setup.h"

#include <stdio.h>

#define VERDICT_FILE ".tanchor/verdict"

enum { LINE_BYTES = 400 };

bool verified_read(struct workspace *workspace, struct verified *verified) {
    g_autofree char *text = NULL;
    char target[LINE_BYTES];
    size_t length;
    bool known = !file_read(workspace_path(workspace, VERDICT_FILE), LINE_BYTES, &text, &length, NULL) &&
                 sscanf(text, "%64[0-9a-f] on %399s by %64[0-9a-f]: %u passed, %u failed", verified->identity, target,
                        verified->trials, &verified->passed, &verified->failed) == 5;
    if (known)
        verified->target = arena_text(workspace->context->arena, target);
    return known;
}

enum ta_status verified_write(struct workspace *workspace, const struct verified *verified, const char *memory_map,
                              struct ta_problem *why) {
    const char *setup = workspace->setup_text, *map = workspace_path(workspace, workspace->layout.memory_verified);
    g_autofree char *line =
        g_strdup_printf("%s on %s by %s: %u passed, %u failed\n", verified->identity, workspace->setup.target,
                        verified->trials, verified->passed, verified->failed);
    enum ta_status status = file_write_output(workspace_path(workspace, VERDICT_FILE), line, strlen(line), why);
    if (status || verified->failed)
        return status;
    if (memory_map)
        status = file_write_output(map, memory_map, strlen(memory_map), why);
    return status ? status : file_write_output(workspace_path(workspace, VERIFIED_SETUP), setup, strlen(setup), why);
}
