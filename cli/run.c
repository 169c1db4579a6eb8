/* tanchor run: the console, the pace, and running again at each save. */
#include "base/units.h"
#include "cli/commands.h"
#include "cli/console.h"
#include "cli/desk.h"
#include "cli/panel.h"
#include "cli/texts.h"
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

/* Before the console begins: what was done for it, and how it will go. */
static void begin(void *with, const struct ta_report *report) {
    struct session *session = with;
    struct output *output = &session->output;
    if (!output->json && !output->quiet) {
        bool board = session->run.real_time;
        char time[UNIT_TEXT_BYTES];
        g_autofree char *limit =
            session->run.for_ns
                ? g_strdup_printf(" for %s of device time", unit_format(time, UNIT_TIME_NS, session->run.for_ns))
                : g_strdup("");
        print_beginning(output, report);
        say(stderr, "Running at %s pace%s. Ctrl-C ends it%s.\n", board ? "the board's" : "full", limit,
            !isatty(STDIN_FILENO)   ? ""
            : session->options.line ? "; lines that you type go to the console"
                                    : "; keys that you press go to the console");
        fflush(stderr);
    }
    console_open(session->options.line);
    if (!output->json && !output->quiet && !session->options.plain)
        panel_open(output->colour);
}

static void take_event(void *with, const struct ta_event *event) {
    (void)with;
    desk_take(event);
    panel_take(event);
}

/* Somebody can do something at the desk who sees it: on a terminal, key by key. */
static void take_board(void *with, const struct ta_profile *profile) {
    const struct session *session = with;
    const struct options *options = &session->options;
    texts_clear();
    desk_open(profile, isatty(STDIN_FILENO) && !options->line && !options->plain && panel_can_open() &&
                           !session->output.json && !session->output.quiet);
}

static int read_keys(void *with, uint8_t *bytes, size_t size) {
    int length = console_read(with, bytes, size);
    return length > 0 ? (int)desk_keys(bytes, (size_t)length) : length;
}

static const char *next_at_desk(void *with) {
    (void)with;
    return desk_next();
}

static void refuse_at_desk(void *with, const struct ta_problem *why) {
    (void)with;
    desk_refused(why);
}

/* Seen by who holds the board. */
static void take_picture(void *with, const struct ta_picture *picture) {
    struct ta_picture seen;
    (void)with;
    if (ta_picture_make(&seen, picture->width, picture->height))
        return;
    memcpy(seen.points, picture->points, (size_t)picture->width * picture->height * 3);
    if (!ta_picture_turn(&seen, desk_turns()))
        panel_picture(&seen, desk_turns());
    ta_picture_free(&seen);
}

/* Asked between two slices of the run: what the target wrote in the last one is shown now. */
static bool is_enough(void *with) {
    const struct session *session = with;
    if (console_continued() && !session->options.plain)
        panel_open(session->output.colour);
    fflush(stdout);
    return session->watch && watching_saved(with);
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
                                   .console = console_write,
                                   .input = read_keys,
                                   .begins = begin,
                                   .enough = is_enough,
                                   .happened = take_event,
                                   .showed = take_picture,
                                   .board = take_board,
                                   .hands = next_at_desk,
                                   .refused = refuse_at_desk,
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
