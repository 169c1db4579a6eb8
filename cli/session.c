#include "cli/session.h"

#include "cli/commands.h"

#include <stdio.h>
#include <string.h>

enum ta_status usage(struct session *session, const char *fix, const char *what) {
    return ta_problem_set(&session->why, TA_E_USAGE, fix, "%s", what);
}

/* Escapes, which no terminal takes for commands, and DEL among them, which jansson leaves. */
static int write_json(const char *bytes, size_t length, void *stream) {
    for (size_t i = 0; i < length; ++i)
        if (bytes[i] == 0x7f)
            fputs("\\u007f", stream);
        else
            fputc(bytes[i], stream);
    return 0;
}

/* One document; with --watch one a line (https://jsonlines.org). */
static void answer_json(struct session *session, int exit_code) {
    const char *command = session->command && *session->command->name ? session->command->name : "standing";
    size_t form = session->options.watch ? JSON_COMPACT : JSON_INDENT(2);
    json_t *document = report_to_json(command, session->action ? session->action->name : NULL, exit_code,
                                      session->report, *session->why.what ? &session->why : NULL);
    if (session->steps)
        json_object_set(document, "steps", session->steps);
    json_dump_callback(document, write_json, session->output.stream, form | JSON_ENSURE_ASCII);
    fputc('\n', session->output.stream);
    json_decref(document);
}

void session_answer(struct session *session, enum ta_status status, int exit_code) {
    clear_progress(&session->output);
    if (session->output.json) {
        answer_json(session, exit_code);
    } else {
        const char *done = session->done ? session->done : session->action ? session->action->done : "";
        if (!status || ta_report_findings(session->report) || ta_report_recordings(session->report))
            print_report(&session->output, status ? NULL : done, session->report);
        fflush(session->output.stream);
        if (*session->why.what)
            print_problem(&session->why);
    }
    fflush(session->output.stream);
}
