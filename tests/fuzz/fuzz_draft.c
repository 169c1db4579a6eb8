/* Any bytes as a project's compilation database, or, when no '[' begins them, as a define in one: the draft that is made from it is one
   that we read. */
#include "base/arena.h"
#include "flow/context.h"
#include "flow/import/import.h"
#include "host/model_files.h"

#include "tameanchor/context.h"
#include "tameanchor/report.h"

#include <glib.h>
#include <glib/gstdio.h>
#include <jansson.h>
#include <stdint.h>
#include <stdlib.h>
#include <unistd.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    g_autofree char *folder = g_dir_make_tmp("draft-XXXXXX", NULL);
    g_autofree char *database = g_build_filename(folder, "compile_commands.json", NULL);
    g_autofree char *source = g_build_filename(folder, "main.c", NULL);
    g_autofree char *manifest = g_build_filename(folder, "anchor.yaml", NULL);
    json_t *define =
        size && *data != '[' ? json_pack("[{s:s, s:[s, s%]}]", "file", "main.c", "arguments", "-D", data, size) : NULL;
    char *bytes = define ? json_dumps(define, 0) : g_strndup((const char *)data, size);
    struct arena *arena = arena_new();
    struct ta_context *context = NULL;
    struct ta_report *report = ta_report_new();
    struct ta_problem why = {0};
    struct project project;
    g_setenv("TANCHOR_CATALOG", folder, TRUE); /* no SDK at all */
    g_setenv("TANCHOR_HOME", folder, TRUE);
    if (ta_context_new(&context, &why) || !g_file_set_contents(database, bytes, define ? -1 : (gssize)size, NULL) ||
        !g_file_set_contents(source, "int main(void) { return 0; }\n", -1, NULL))
        abort();
    struct step step = step_begin(context, report);
    enum ta_status status = draft_write(context, folder, "draft", report, &why);
    if (status ? ta_status_exit_code(status) > 1 || !*why.what
               : project_read(manifest, "anchor.yaml", arena, &project, &why) != TA_OK)
        abort();
    (void)step_end(&step, status);
    ta_report_free(report);
    ta_context_free(context);
    arena_free(arena);
    free(bytes);
    json_decref(define);
    g_unlink(manifest);
    g_unlink(source);
    g_unlink(database);
    g_rmdir(folder);
    return 0;
}
