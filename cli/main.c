/* tanchor: parses arguments, calls the chain, prints what it found. No work is done here. */
#include "cli/arguments.h"
#include "cli/help.h"

#include <errno.h>
#include <locale.h>
#include <string.h>
#include <unistd.h>

static void show_progress(void *with, const struct ta_progress *progress) {
    struct output *output = &((struct session *)with)->output;
    if (!output->quiet && !output->json && isatty(STDERR_FILENO) && terminal_obeys())
        print_progress(output, progress);
}

/* Where stderr is the document's, as that of run is, its findings tell what compilers warned of. */
static void show_compiler_output(void *with, const char *text) {
    struct output *output = &((struct session *)with)->output;
    if (output->json && output->stream == stderr)
        return;
    clear_progress(output);
    say_coloured(stderr, text);
}

static bool may_colour(FILE *stream) {
    const char *no_colour = g_getenv("NO_COLOR");
    return isatty(fileno(stream)) && !(no_colour && *no_colour) && terminal_obeys();
}

static enum ta_status start(struct session *session) {
    const struct options *options = &session->options;
    if (options->folder && chdir(options->folder))
        return ta_problem_set(&session->why, TA_E_USAGE, "check the path after -C", "cannot go to %s: %s",
                              options->folder, g_strerror(errno));
    enum ta_status status = ta_context_new(&session->context, &session->why);
    if (status)
        return status;
    const struct ta_callbacks callbacks = {sizeof callbacks,
                                           .with = session,
                                           .cancelled = session_interrupted,
                                           .progress = show_progress,
                                           .agrees = ask_agreement,
                                           .compiler_output = show_compiler_output,
                                           .colour = may_colour(stderr)};
    return ta_context_listen(session->context, &callbacks, &session->why);
}

/* stdout is the console of run: what the tool says goes elsewhere then. */
static struct output choose_output(const struct session *session) {
    bool console = session->action && session->action->run == run_run;
    struct output output = {
        .stream = console ? stderr : stdout, .json = session->options.json, .quiet = session->options.quiet};
    output.colour = may_colour(output.stream);
    return output;
}

static int run_session(struct session *session, bool good) {
    enum ta_status status = good ? start(session) : TA_E_USAGE;
    if (!status)
        status = session->action->run(session);
    if (!status)
        session->why.what[0] = '\0'; /* what was found on the way and mended is no problem */
    int exit_code = session->exit_code >= 0 ? session->exit_code : ta_status_exit_code(status);
    if (!session->answered)
        session_answer(session, status, exit_code);
    return exit_code;
}

int main(int argc, char **argv) {
    struct session session = {.commands = all_commands, .exit_code = -1};
    setlocale(LC_CTYPE, ""); /* how wide a letter is; messages stay in English, numbers have a point */
    g_set_prgname("tanchor");
    bool good = parse_arguments(&session, argc, argv);
    int exit_code = 0;
    session.output = choose_output(&session);
    session.report = ta_report_new();
    session_watch_signals();
    if (good && session.options.help)
        print_help(session.commands, session.command, session.names_action ? session.action : NULL);
    else if (good && session.options.version)
        printf("tanchor %s\n", TA_VERSION_TEXT);
    else
        exit_code = run_session(&session, good);
    if (fflush(stdout) || ferror(stdout)) {
        fprintf(stderr, "tanchor: cannot write to stdout: %s; make room or choose another place\n", g_strerror(errno));
        exit_code = 3;
    }
    json_decref(session.steps);
    ta_report_free(session.report);
    ta_context_free(session.context);
    options_clear(&session.options);
    return exit_code;
}
