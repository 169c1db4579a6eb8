/* A project's setup as it is, compared with the one that was verified last, and going back to that one. */
#include "flow/setup/setup.h"

enum { SETUP_BYTES = 1 << 20 };

static enum ta_status read_lines(struct workspace *workspace, const char *file, char ***lines, struct ta_problem *why) {
    g_autofree char *text = NULL;
    size_t length;
    enum ta_status status = file_read(workspace_path(workspace, file), SETUP_BYTES, &text, &length, why);
    *lines = status ? NULL : g_strsplit(text, "\n", -1);
    return status;
}

static bool says_something(const char *line) {
    return *line && *line != '#';
}

/* The line's key and the one above that it stands below: "  core: ..." of "components:". */
static char *qualified(char **lines, size_t at) {
    size_t above = at;
    while (above && lines[at][0] == ' ' && lines[above][0] == ' ')
        --above;
    g_auto(GStrv) parts = g_strsplit(lines[at], "\"", -1);
    g_autofree char *plain = g_strstrip(g_strjoinv("", parts));
    g_autofree char *head = above == at ? g_strdup("") : g_strdup(lines[above]);
    return g_strdup_printf("%s%s%s", head, *head ? " " : "", plain);
}

static GPtrArray *statements(char **lines) {
    GPtrArray *all = g_ptr_array_new_with_free_func(g_free);
    for (size_t i = 0; lines[i]; ++i)
        if (says_something(lines[i]) && !(g_str_has_suffix(lines[i], ":") && lines[i + 1] && lines[i + 1][0] == ' '))
            g_ptr_array_add(all, qualified(lines, i));
    return all;
}

static unsigned report_missing(const GPtrArray *from, GPtrArray *in, const char *subject, struct ta_report *report) {
    unsigned count = 0;
    for (guint i = 0; i < from->len; ++i)
        if (!g_ptr_array_find_with_equal_func(in, from->pdata[i], g_str_equal, NULL)) {
            report_add(report, TA_LEVEL_NOTE, subject, NULL, "%s", (char *)from->pdata[i]);
            ++count;
        }
    return count;
}

static enum ta_status no_verified(struct workspace *workspace, struct ta_problem *why) {
    return g_file_test(workspace_path(workspace, VERIFIED_SETUP), G_FILE_TEST_EXISTS)
               ? TA_OK
               : ta_problem_set(why, TA_E_NO, "{verify}, until all trials pass", "no setup of %s was verified yet",
                                workspace->project.project);
}

static enum ta_status show(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    char **lines;
    enum ta_status status = read_lines(workspace, "setup.yaml", &lines, why);
    if (status)
        return status;
    g_autoptr(GPtrArray) all = statements(lines);
    for (guint i = 0; i < all->len; ++i)
        report_add(report, TA_LEVEL_OK, "chosen", NULL, "%s", (char *)all->pdata[i]);
    g_strfreev(lines);
    report_next(report, "{compare} compares it with what was verified");
    return TA_OK;
}

static enum ta_status compare(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    char **now = NULL, **then = NULL;
    enum ta_status status = no_verified(workspace, why);
    if (!status)
        status = read_lines(workspace, "setup.yaml", &now, why);
    if (!status)
        status = read_lines(workspace, VERIFIED_SETUP, &then, why);
    if (!status) {
        g_autoptr(GPtrArray) is = statements(now), was = statements(then);
        unsigned changes = report_missing(was, is, "was", report);
        changes += report_missing(is, was, "is", report);
        if (!changes)
            report_add(report, TA_LEVEL_OK, "same", NULL, "as it was verified");
        report_number(report, "changes", changes);
        report_next(report, changes ? "{back} takes the verified one again" : "{build}");
    }
    g_strfreev(now);
    g_strfreev(then);
    return status;
}

static enum ta_status go_back(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    g_autofree char *text = NULL;
    size_t length;
    enum ta_status status = no_verified(workspace, why);
    if (!status)
        status = file_read(workspace_path(workspace, VERIFIED_SETUP), SETUP_BYTES, &text, &length, why);
    if (!status)
        status = compare(workspace, report, why);
    if (!status)
        status = file_write(workspace_path(workspace, "setup.yaml"), text, length, why);
    if (!status)
        report_next(report, "{ready}");
    return status;
}

enum ta_status ta_configure_look(struct ta_context *context, const char *folder, enum ta_setup_look look,
                                 struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    enum ta_status status =
        workspace_open(context, folder, look == TA_SETUP_BACK ? "configure" : NULL, &workspace, why);
    if (!status && !workspace.configured)
        status = ta_problem_set(why, TA_E_NO, "{configure}", "%s is not configured yet", workspace.project.project);
    if (!status) {
        report_title(report, "%s on %s", workspace.project.project, workspace.setup.target);
        status = look == TA_SETUP_SHOW   ? show(&workspace, report, why)
                 : look == TA_SETUP_DIFF ? compare(&workspace, report, why)
                                         : go_back(&workspace, report, why);
    }
    workspace_leave(&workspace);
    return step_end(&step, status);
}
