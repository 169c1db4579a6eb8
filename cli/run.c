/* tanchor run: the console, the pace, and running again at each save. */
#include "base/units.h"
#include "cli/commands.h"
#include "cli/console.h"
#include "cli/desk.h"
#include "cli/panel.h"
#include "cli/watching.h"

#include <string.h>
#include <unistd.h>

static enum ta_status read_run_options(struct session *session, struct ta_run *run) {
    const struct options *options = &session->options;
    const char *pace = options->pace;
    if (pace && strcmp(pace, "board") && strcmp(pace, "full"))
        return usage(session, "write --pace board or --pace full", "--pace: there is no such pace");
    run->real_time = pace ? !strcmp(pace, "board") : !options->for_text;
    if (options->for_text &&
        (!unit_parse(options->for_text, strlen(options->for_text), UNIT_TIME_NS, &run->for_ns) || !run->for_ns))
        return usage(session, "write for example --for 3s", "--for: that is not a time");
    if (!session->name_count && (options->target || options->profile || options->no_semihosting))
        return usage(session, "tanchor run PROGRAM --target NAME; configure --target chooses the project's target",
                     "--target, --profile and --no-semihosting go with a PROGRAM");
    if (session->name_count && (options->as_is || options->watch))
        return usage(session, "leave it out", "--as-is and --watch go with a project, not with a PROGRAM");
    return TA_OK;
}

static void tell_beginning(struct session *session, const struct ta_report *report) {
    bool board = session->run.real_time;
    char time[UNIT_TEXT_BYTES];
    g_autofree char *limit = session->run.for_ns ? g_strdup_printf(" for %s of device time",
                                                                   unit_format(time, UNIT_TIME_NS, session->run.for_ns))
                                                 : g_strdup("");
    print_beginning(&session->output, report);
    say(stderr, "Running at %s pace%s. Ctrl-C ends it%s.\n", board ? "the board's" : "full", limit,
        !isatty(STDIN_FILENO)   ? ""
        : session->options.line ? "; lines that you type go to the console"
                                : "; keys that you press go to the console");
    fflush(stderr);
}

static enum ta_status take_event(void *with, const struct ta_event *event) {
    (void)with;
    desk_take(event);
    if (event->kind == TA_EVENT_CONSOLE)
        console_write(NULL, event->bytes, event->length);
    return TA_OK;
}

/* What is typed goes to the desk, or to the console; of a target that has none, nobody reads it. */
static enum ta_status pass_keys(struct watching_run *run, struct ta_live *live, struct ta_problem *why) {
    uint8_t bytes[256];
    int length = run->input_over ? 0 : console_read(NULL, bytes, sizeof bytes);
    size_t left = length > 0 ? desk_keys(bytes, (size_t)length) : 0;
    if (!length || (length > 0 && !left))
        return TA_OK;
    enum ta_status status = ta_live_type(live, bytes, left, length < 0, why);
    run->input_over = length < 0 || status == TA_E_UNSUPPORTED;
    return status == TA_E_UNSUPPORTED ? TA_OK : status;
}

/* Seen by who holds the board. */
static enum ta_status show_screen(struct watching_run *run, struct ta_live *live, struct ta_problem *why) {
    enum { SHOW_US = 50000 };
    const struct ta_board *board = ta_live_board(live);
    struct ta_picture picture;
    gint64 now_us = g_get_monotonic_time();
    if (board->redraws == run->redraws || now_us - run->showed_us < SHOW_US)
        return TA_OK;
    enum ta_status status = ta_live_picture(live, board->redrawn, &picture, why);
    run->redraws = board->redraws;
    run->showed_us = now_us;
    if (status)
        return status == TA_E_UNSUPPORTED ? TA_OK : status;
    if (!ta_picture_turn(&picture, desk_turns()))
        panel_picture(&picture, board->texts, desk_turns());
    ta_picture_free(&picture);
    return TA_OK;
}

/* What the target wrote since is shown now. */
static enum ta_status watch(void *with, struct ta_live *live, struct ta_problem *why) {
    struct session *session = with;
    if (console_continued() && !session->options.plain)
        panel_open(session->output.colour);
    if (session->watch && watching_saved(session))
        ta_live_end(live);
    enum ta_status status = pass_keys(&session->watching, live, why);
    if (!status)
        status = show_screen(&session->watching, live, why);
    panel_show(ta_live_board(live));
    fflush(stdout);
    return status;
}

/* What is refused at the desk ends no run; a target that is gone does. */
static enum ta_status act_at_desk(void *with, struct ta_live *live, struct ta_problem *why) {
    const char *what = ta_live_is_doing(live) ? NULL : desk_next();
    enum ta_status status = what ? ta_live_do(live, what, why) : TA_OK;
    (void)with;
    if (status && status != TA_E_PORT && status != TA_E_INTERRUPTED) {
        desk_refused(why);
        return TA_OK;
    }
    return status;
}

/* Before the console begins: what was done for it, and how it will go. Somebody can do something at the desk who sees it: on a terminal, key by
   key. */
static enum ta_status begin(void *with, struct ta_live *live, const struct ta_report *report, struct ta_problem *why) {
    enum { SLICE_NS = 5000000 };
    struct session *session = with;
    const struct options *options = &session->options;
    const struct output *output = &session->output;
    const struct ta_listener listener = {sizeof listener, session, NULL, take_event};
    const struct ta_attendant watcher = {sizeof watcher, session, SLICE_NS, watch};
    const struct ta_attendant hand = {sizeof hand, session, SLICE_NS, act_at_desk};
    bool quiet = output->json || output->quiet;
    session->watching = (struct watching_run){.input_over = false};
    desk_open(ta_live_board(live),
              isatty(STDIN_FILENO) && !options->line && !options->plain && panel_can_open() && !quiet);
    if (!quiet)
        tell_beginning(session, report);
    console_open(options->line);
    if (!quiet && !options->plain)
        panel_open(output->colour);
    enum ta_status status = ta_live_listen(live, &listener, why);
    if (!status)
        status = ta_live_attend(live, &watcher, why);
    return status ? status : ta_live_attend(live, &hand, why);
}

static enum ta_status run_once(struct session *session) {
    enum ta_status status = ta_run(session->context, ".", &session->run, session->report, &session->why);
    panel_close(true);
    console_close();
    desk_close();
    const struct ta_fact *stop = ta_report_fact(session->report, "stop");
    if (!status && stop && !strcmp(stop->text, ta_stop_text(TA_STOP_ENDED)))
        session->exit_code = (int)ta_report_fact(session->report, "exit_code")->number;
    return status;
}

enum ta_status run_run(struct session *session) {
    const struct options *options = &session->options;
    session->run = (struct ta_run){sizeof(struct ta_run),
                                   .target = options->target,
                                   .profile = options->profile,
                                   .no_semihosting = options->no_semihosting,
                                   .as_is = options->as_is,
                                   .begins = begin,
                                   .with = session,
                                   .screen = options->screen,
                                   .inputs = (const char *const *)options->inputs,
                                   .input_count = options->inputs ? g_strv_length(options->inputs) : 0};
    enum ta_status status = read_run_options(session, &session->run);
    if (status)
        return status;
    /* Start-up code of C libraries puts the program's name before it. */
    g_autofree char *command_line = session->name_count ? g_strjoinv(" ", session->names + 1) : NULL;
    session->run.image = session->name_count ? session->names[0] : NULL;
    session->run.command_line = session->name_count > 1 ? command_line : NULL;
    return options->watch ? watching(session, run_once) : run_once(session);
}
