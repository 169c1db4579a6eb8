/* ready: checks all that the project needs, always the whole list; what is wrong comes first. */
#include "flow/ready_checks.h"

/* Every check that can be made. A problem of the surroundings ends it, any other is a finding. */
static enum ta_status check_all(struct workspace *workspace, bool loaded, struct ta_report *report,
                                struct ta_problem *why) {
    for (const struct ready_row *row = ready_rows; row->subject; ++row) {
        struct ta_problem found = {0};
        if (row->needs_setup && !loaded)
            continue;
        enum ta_status answer = row->check(workspace, report, &found);
        if (answer == TA_E_MEMORY || answer == TA_E_INTERRUPTED) {
            return ta_problem_copy(why, &found);
        }
        if (answer)
            report_problem(report, row->subject, &found);
    }
    return TA_OK;
}

enum ta_status ta_ready(struct ta_context *context, const char *folder, bool fix, struct ta_report *report,
                        struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    struct ta_problem found = {0};
    bool loaded = false;
    enum ta_status status = workspace_open(context, folder, fix ? "ready" : NULL, &workspace, why);
    if (!status && fix)
        status = ready_mend(&workspace, report, why);
    if (!status) {
        loaded = !workspace_load(&workspace, &found);
        if (!loaded)
            report_problem(report, "setup", &found);
        status = check_all(&workspace, loaded, report, why);
    }
    if (!status) {
        size_t problems = ta_report_count(report, TA_LEVEL_PROBLEM);
        report_sort(report);
        report_title(report, loaded ? "%s on %s" : "%s%s", workspace.project.project,
                     loaded ? workspace.setup.target : "");
        report_next(report, problems ? "apply the first fix, then {ready}" : "{build}");
        status = problems ? TA_E_NO : TA_OK;
    }
    workspace_leave(&workspace);
    return step_end(&step, status);
}
