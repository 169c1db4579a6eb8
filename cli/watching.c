#include "cli/watching.h"

#include <string.h>

enum { LOOK_MS = 100 };

/* The path as people see it, from the current folder. */
static void tell_saved(struct session *session, const char *path) {
    g_autofree char *here = g_get_current_dir();
    g_autoptr(GDateTime) now = g_date_time_new_now_local();
    g_autofree char *time = g_date_time_format(now, "%H:%M:%S"), *inside = g_strconcat(here, "/", NULL);
    if (session->output.json || session->output.quiet)
        return;
    fputc('\n', session->output.stream);
    say(session->output.stream, "%s  %s saved\n", time, g_str_has_prefix(path, inside) ? path + strlen(inside) : path);
    fflush(session->output.stream);
}

bool watching_saved(void *with) {
    struct session *session = with;
    if (!session->saved)
        session->saved = g_strdup(ta_watch_saved(session->watch, 0));
    return session->saved != NULL;
}

static void wait_for_save(struct session *session) {
    while (!session->saved && !session_interrupted(NULL))
        session->saved = g_strdup(ta_watch_saved(session->watch, LOOK_MS));
}

/* The whole answer the first time, then what has changed. */
static void answer(struct session *session, struct ta_report *before, bool first, enum ta_status status) {
    if (session->output.json || first) {
        session_answer(session, status, ta_status_exit_code(status));
        if (!session->output.json && !session->output.quiet)
            say(session->output.stream, "Watching for saved files. Ctrl-C ends it.\n");
        fflush(session->output.stream);
        return;
    }
    clear_progress(&session->output);
    print_changes(&session->output, before, session->report);
    if (*session->why.what)
        print_problem(&session->why);
    fflush(session->output.stream);
}

enum ta_status watching(struct session *session, enum ta_status (*step)(struct session *session)) {
    struct ta_report *before = NULL;
    session->output.watching = true;
    enum ta_status status = ta_watch_new(session->context, ".", &session->watch, &session->why);
    if (status)
        return status;
    for (bool first = true; !session_interrupted(NULL); first = false) {
        session->why.what[0] = '\0';
        enum ta_status now = step(session);
        bool cut_short = now == TA_E_INTERRUPTED && session_interrupted(NULL);
        status = cut_short && !first ? status : now; /* the answer is the last one that was given */
        if (cut_short)
            break;
        answer(session, before, first, status);
        wait_for_save(session);
        if (!session->saved)
            break;
        tell_saved(session, session->saved);
        g_clear_pointer(&session->saved, g_free);
        if (ta_report_recordings(session->report)) { /* else it is still the last verdict that one compares with */
            ta_report_free(before);
            before = g_steal_pointer(&session->report);
        }
        ta_report_free(session->report);
        session->report = ta_report_new();
        session->output.begun = false;
        session->output.findings_shown = 0;
        session->exit_code = -1;
    }
    session->answered = true;
    ta_report_free(before);
    g_clear_pointer(&session->watch, ta_watch_free);
    g_clear_pointer(&session->saved, g_free);
    return status;
}
