/* The commands of the chain: each turns its options into a request, and makes one call. */
#include "cli/commands.h"
#include "base/units.h"

#include <poll.h>
#include <string.h>
#include <unistd.h>

/* The project is where we are: -C has gone there already. */
static const char here[] = ".";

enum ta_status command_import(struct session *session) {
    char **rest = session->options.rest;
    size_t count = rest_count(session);
    if (count < 1 || count > 2)
        return usage(session, "tanchor import SOURCE [FOLDER]", "name what to import");
    const struct options *options = &session->options;
    const struct ta_import request = {sizeof request,
                                      .source = rest[0],
                                      .destination = rest[1],
                                      .ref = options->ref,
                                      .subfolder = options->subfolder,
                                      .in_place = options->in_place,
                                      .gather = options->gather,
                                      .anyway = options->anyway};
    return ta_import(session->context, &request, session->report, &session->why);
}

enum ta_status command_configure(struct session *session) {
    const struct options *options = &session->options;
    session->done = options->list || options->show || options->diff ? "Looked" : NULL;
    if (options->list)
        return ta_configure_list(session->context, here, session->report, &session->why);
    if (options->show || options->diff || options->back)
        return ta_configure_look(session->context, here,
                                 options->back   ? TA_SETUP_BACK
                                 : options->diff ? TA_SETUP_DIFF
                                                 : TA_SETUP_SHOW,
                                 session->report, &session->why);
    const struct ta_choices choices = {sizeof choices,
                                       .sdk = options->sdk,
                                       .compiler = options->compiler,
                                       .target = options->target,
                                       .optimise = options->optimise,
                                       .stack = options->stack,
                                       .heap = options->heap,
                                       .console_speed = options->console_speed,
                                       .clock = options->clock,
                                       .with = (const char *const *)options->with,
                                       .without = (const char *const *)options->without,
                                       .settings = (const char *const *)options->settings};
    return ta_configure(session->context, here, &choices, session->report, &session->why);
}

enum ta_status command_ready(struct session *session) {
    return ta_ready(session->context, here, session->options.fix, session->report, &session->why);
}

enum ta_status command_build(struct session *session) {
    const char *edited = session->options.edited;
    enum ta_edits edits = !edited ? TA_EDITS_REFUSED : !strcmp(edited, "keep") ? TA_EDITS_KEPT_ASIDE : TA_EDITS_LOST;
    if (edits == TA_EDITS_LOST && strcmp(edited, "restore"))
        return usage(session, "write --edited keep or --edited restore", "--edited: that is not known");
    return ta_build_edited(session->context, here, edits, session->report, &session->why);
}

enum ta_status command_show(struct session *session) {
    return session->options.files ? ta_show_files(session->context, here, session->report, &session->why)
                                  : usage(session, "tanchor show --files", "say what to show");
}

enum ta_status command_deploy(struct session *session) {
    return ta_deploy(session->context, here, session->report, &session->why);
}

enum ta_status command_verify(struct session *session) {
    return ta_verify(session->context, here, (const char *const *)session->options.rest, rest_count(session),
                     session->report, &session->why);
}

/* The target's console is stdout, byte for byte; on a terminal, what would command it is shown as text. What is typed comes
   from stdin as far as it is there. */
static void write_console(void *with, const uint8_t *bytes, size_t length) {
    struct session *session = with;
    if (isatty(STDOUT_FILENO))
        say_text(stdout, (const char *)bytes, length, &session->console);
    else
        fwrite(bytes, 1, length, stdout);
    fflush(stdout);
}

static int read_input(void *with, uint8_t *bytes, size_t size) {
    struct pollfd stdin_ready = {.fd = STDIN_FILENO, .events = POLLIN};
    (void)with;
    if (poll(&stdin_ready, 1, 0) <= 0)
        return 0;
    ssize_t length = read(STDIN_FILENO, bytes, size);
    return length > 0 ? (int)length : -1;
}

static enum ta_status read_run_options(struct session *session, struct ta_run *run) {
    const struct options *options = &session->options;
    run->real_time = isatty(STDOUT_FILENO) && !options->for_text;
    if (options->pace && strcmp(options->pace, "real") && strcmp(options->pace, "full"))
        return usage(session, "write --pace real or --pace full", "--pace: that is not known");
    if (options->pace)
        run->real_time = !strcmp(options->pace, "real");
    if (options->for_text &&
        (!unit_parse(options->for_text, strlen(options->for_text), UNIT_TIME_NS, &run->for_ns) || !run->for_ns))
        return usage(session, "write for example --for 3s", "--for: that is not a time");
    if (!rest_count(session) && (options->target || options->profile))
        return usage(session, "tanchor run PROGRAM --target NAME; the project's own target is in setup.yaml",
                     "--target and --profile go with a program");
    return TA_OK;
}

enum ta_status command_run_image(struct session *session) {
    const struct options *options = &session->options;
    struct ta_run run = {sizeof run,
                         .target = options->target,
                         .profile = options->profile,
                         .no_semihosting = options->no_semihosting,
                         .console = write_console,
                         .input = read_input,
                         .with = session};
    enum ta_status status = read_run_options(session, &run);
    if (status)
        return status;
    g_autofree char *command_line = rest_count(session) ? g_strjoinv(" ", options->rest) : NULL;
    run.image = rest_count(session) ? options->rest[0] : NULL;
    run.command_line = rest_count(session) > 1 ? command_line : NULL;
    session->output.stream = stderr;
    status = ta_run(session->context, here, &run, session->report, &session->why);
    const struct ta_fact *stop = ta_report_fact(session->report, "stop");
    if (!status && stop && !strcmp(stop->text, ta_stop_text(TA_STOP_ENDED)))
        session->exit_code = (int)ta_report_fact(session->report, "exit_code")->number;
    return status;
}

static void show_step(void *with, const char *name, const struct ta_report *report) {
    struct session *session = with;
    if (session->output.json)
        json_array_append_new(session->steps, report_to_json(name, 0, report, NULL));
    else
        print_step(&session->output, name, report);
}

enum ta_status command_demo(struct session *session) {
    const char *folder = rest_count(session) ? session->options.rest[0] : NULL;
    session->steps = json_array();
    return ta_demo(session->context, folder, show_step, session, session->report, &session->why);
}

enum ta_status command_standing(struct session *session) {
    return ta_standing(session->context, here, session->report, &session->why);
}
