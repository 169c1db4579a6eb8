/* import: makes a project from an example of the catalog or from a folder. The copy grows beside the destination and
   takes its place when it is whole, so that a destination is there completely or not at all. */
#include "tameanchor/chain.h"

#include "flow/catalog.h"
#include "flow/context.h"
#include "flow/report.h"
#include "flow/workspace.h"
#include "host/files.h"

#include <errno.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* What builds leave in a project stays behind. */
static const char *const left_behind[] = {"out", ".tanchor", NULL};

/* The folder that SOURCE names. A path is a folder; a bare name is an example first. */
static enum ta_status find_source(struct ta_context *context, const char *source, char **folder, bool *is_example,
                                  struct ta_problem *why) {
    bool is_folder = g_file_test(source, G_FILE_TEST_IS_DIR);
    *is_example = false;
    if (strchr(source, '/') || !strcmp(source, ".") || !strcmp(source, "..")) {
        *folder = g_canonicalize_filename(source, NULL);
        if (is_folder)
            return TA_OK;
        return ta_problem_set(why, TA_E_INPUT, "name a folder or an example", "%s is no folder", source);
    }
    *folder = catalog_example(context, source, is_folder ? NULL : why);
    *is_example = *folder != NULL;
    if (!*folder && is_folder)
        *folder = g_canonicalize_filename(source, NULL);
    return *folder ? TA_OK : TA_E_INPUT;
}

static enum ta_status check_destination(const char *source, const char *destination, struct ta_problem *why) {
    g_autofree char *inside = g_strconcat(source, "/", NULL);
    if (g_str_has_prefix(destination, inside))
        return ta_problem_set(why, TA_E_INPUT, "choose a folder outside it", "%s lies inside what is to be imported",
                              destination);
    if (g_file_test(destination, G_FILE_TEST_EXISTS) && !folder_is_empty(destination))
        return ta_problem_set(why, TA_E_INPUT, "name another folder: tanchor import EXAMPLE FOLDER",
                              "%s is there already and not empty", destination);
    return TA_OK;
}

/* Where the copy grows: .NAME.import-PID beside the destination. Those of imports that were killed are removed. */
static char *growing_folder(const char *destination) {
    g_autofree char *above = g_path_get_dirname(destination);
    g_autofree char *name = g_path_get_basename(destination);
    g_autofree char *prefix = g_strdup_printf(".%s.import-", name);
    g_autoptr(GDir) entries = g_dir_open(above, 0, NULL);
    for (const char *entry; entries && (entry = g_dir_read_name(entries));) {
        if (!g_str_has_prefix(entry, prefix))
            continue;
        pid_t owner = (pid_t)strtol(entry + strlen(prefix), NULL, 10);
        g_autofree char *left = g_build_filename(above, entry, NULL);
        if (owner == getpid() || (kill(owner, 0) && errno == ESRCH))
            folder_remove(left);
    }
    return g_strdup_printf("%s/%s%d", above, prefix, (int)getpid());
}

static enum ta_status copy_project(struct ta_context *context, const char *source, const char *destination,
                                   unsigned *files, struct ta_problem *why) {
    g_autofree char *above = g_path_get_dirname(destination);
    enum ta_status status = folder_make(above, why);
    g_autofree char *growing = growing_folder(destination);
    if (!status)
        status = folder_copy(source, growing, left_behind, context_cancelled, context, files, why);
    if (!status && rename(growing, destination)) {
        status = ta_problem_set(why, TA_E_SYSTEM, "choose another folder", "cannot make %s: %s", destination,
                                g_strerror(errno));
        folder_remove(growing);
    }
    return status;
}

static void describe(struct workspace *workspace, const char *source, bool is_example, unsigned files,
                     struct ta_report *report) {
    const struct project *project = &workspace->project;
    report_title(report, "%s %s: %s", project->project, project->version, project->title);
    if (is_example)
        report_add(report, TA_LEVEL_OK, "copied", NULL, "%u files of the bundled example %s", files, source);
    else
        report_add(report, TA_LEVEL_OK, "copied", NULL, "%u files from %s", files, source);
    report_add(report, TA_LEVEL_OK, "project", NULL, "%s", workspace->folder);
    if (project->docs.count)
        report_add(report, TA_LEVEL_NOTE, "read first", NULL, "%s", project->docs.items[0]);
    report_number(report, "files", files);
    report_text(report, "project", workspace->folder);
}

static enum ta_status import_folder(struct ta_context *context, const char *source, const char *folder,
                                    const char *destination, bool is_example, struct ta_report *report,
                                    struct ta_problem *why) {
    struct workspace workspace;
    unsigned files = 0;
    g_autofree char *from = g_canonicalize_filename(folder, NULL);
    enum ta_status status = workspace_open(context, folder, &workspace, why);
    if (!status && strcmp(workspace.folder, from))
        status =
            ta_problem_set(why, TA_E_INPUT, workspace.folder, "%s is inside a project; import the whole of it", source);
    workspace_close(&workspace);
    if (!status)
        status = check_destination(from, destination, why);
    if (!status)
        status = copy_project(context, from, destination, &files, why);
    if (status)
        return status;
    status = workspace_open(context, destination, &workspace, why);
    if (!status)
        describe(&workspace, source, is_example, files, report);
    workspace_close(&workspace);
    return status;
}

enum ta_status ta_import(struct ta_context *context, const char *source, const char *destination,
                         struct ta_report *report, struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    g_autofree char *folder = NULL;
    bool is_example;
    enum ta_status status = find_source(context, source, &folder, &is_example, why);
    if (status)
        return status;
    g_autofree char *name = g_path_get_basename(folder);
    g_autofree char *full = g_canonicalize_filename(destination ? destination : name, NULL);
    status = import_folder(context, source, folder, full, is_example, report, why);
    if (!status) {
        g_autofree char *here = g_canonicalize_filename(".", NULL);
        g_autofree char *inside = g_strconcat(here, "/", NULL);
        report_next(report, "cd %s && tanchor configure",
                    g_str_has_prefix(full, inside) ? full + strlen(inside) : full);
    }
    report_took(report, start);
    return status;
}
