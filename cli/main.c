/* tanchor: parses arguments, calls the chain, prints what it found. No work is done here. */
#include "cli/arguments.h"
#include "cli/say.h"

#include <errno.h>
#include <jansson.h>
#include <locale.h>
#include <signal.h>
#include <string.h>
#include <unistd.h>

static volatile sig_atomic_t interrupted;

static void interrupt(int signal_number) {
    (void)signal_number;
    interrupted = 1;
}

static bool is_interrupted(void *with) {
    (void)with;
    return interrupted;
}

static void show_progress(void *with, const struct ta_progress *progress) {
    struct output *output = &((struct session *)with)->output;
    if (!output->quiet && !output->json && isatty(STDERR_FILENO))
        print_progress(output, progress);
}

static void show_compiler_output(void *with, const char *text) {
    clear_progress(&((struct session *)with)->output);
    say_text(stderr, text, strlen(text), NULL);
}

static void watch_signals(void) {
    struct sigaction action = {.sa_handler = interrupt};
    sigemptyset(&action.sa_mask);
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
    signal(SIGXFSZ, SIG_IGN); /* a file over its limit is then an error of the write */
}

static enum ta_status start(struct session *session) {
    const struct options *options = &session->options;
    session->output = (struct output){.stream = stdout, .json = options->json, .quiet = options->quiet};
    session->output.colour = isatty(STDOUT_FILENO) && !g_getenv("NO_COLOR");
    if (options->folder && chdir(options->folder))
        return ta_problem_set(&session->why, TA_E_USAGE, "check the path after -C", "cannot go to %s: %s",
                              options->folder, g_strerror(errno));
    enum ta_status status = ta_context_new(&session->context, &session->why);
    if (status)
        return status;
    const struct ta_callbacks callbacks = {
        sizeof callbacks,          .with = session,         .cancelled = is_interrupted,
        .progress = show_progress, .agrees = ask_agreement, .compiler_output = show_compiler_output};
    return ta_context_listen(session->context, &callbacks, &session->why);
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

/* With --json there is one document, on stdout; for run, whose stdout is the console, on stderr. */
static void answer(struct session *session, const struct command *command, enum ta_status status, int exit_code) {
    bool has_problem = *session->why.what != '\0';
    clear_progress(&session->output);
    if (session->output.json) {
        json_t *document =
            report_to_json(command->name, exit_code, session->report, has_problem ? &session->why : NULL);
        if (session->steps)
            json_object_set(document, "steps", session->steps);
        json_dump_callback(document, write_json, session->output.stream, JSON_INDENT(2) | JSON_ENSURE_ASCII);
        fputc('\n', session->output.stream);
        json_decref(document);
    } else {
        if (!status || ta_report_findings(session->report) || ta_report_recordings(session->report))
            print_report(&session->output,
                         status          ? NULL
                         : session->done ? session->done
                                         : command->done,
                         session->report);
        fflush(session->output.stream);
        if (has_problem)
            print_problem(&session->why);
    }
}

int main(int argc, char **argv) {
    struct session session = {.exit_code = -1};
    setlocale(LC_ALL, "");
    setlocale(LC_NUMERIC, "C"); /* numbers are written and read with a point everywhere */
    g_set_prgname("tanchor");
    const struct command *command = parse_arguments(&session, argc, argv);
    if (!command) {
        print_problem(&session.why);
        free_options(&session.options);
        return ta_status_exit_code(TA_E_USAGE);
    }
    if (session.options.version) {
        printf("tanchor %s\n", TA_VERSION_TEXT);
        free_options(&session.options);
        return 0;
    }
    watch_signals();
    session.report = ta_report_new();
    enum ta_status status = start(&session);
    if (!status)
        status = command->run(&session);
    if (!status)
        session.why.what[0] = '\0'; /* what was found on the way and mended is no problem */
    int exit_code = session.exit_code >= 0 ? session.exit_code : ta_status_exit_code(status);
    answer(&session, command, status, exit_code);
    if (fflush(stdout) || ferror(stdout)) {
        fprintf(stderr, "tanchor: cannot write to stdout: %s; make room or choose another place\n", g_strerror(errno));
        exit_code = 3;
    }
    json_decref(session.steps);
    ta_report_free(session.report);
    ta_context_free(session.context);
    free_options(&session.options);
    return exit_code;
}
