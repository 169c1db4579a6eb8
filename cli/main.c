/* tanchor: parses arguments, calls the chain, prints what it found. No work is done here. */
#include "base/units.h"
#include "cli/actions.h"

#include <errno.h>
#include <glib-unix.h>
#include <glib.h>
#include <jansson.h>
#include <locale.h>
#include <poll.h>
#include <signal.h>
#include <stdlib.h>
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
    fputs(text, stderr);
}

enum ta_status usage(struct session *session, const char *fix, const char *what) {
    return ta_problem_set(&session->why, TA_E_USAGE, fix, "%s", what);
}

size_t rest_count(const struct session *session) {
    return session->options.rest ? g_strv_length(session->options.rest) : 0;
}

/* The project is where we are: -C has gone there already. */
static const char here[] = ".";

/* Commands. */

static enum ta_status command_import(struct session *session) {
    char **rest = session->options.rest;
    size_t count = rest_count(session);
    if (count < 1 || count > 2)
        return usage(session, "tanchor import SOURCE [FOLDER]", "name what to import");
    const struct options *options = &session->options;
    const struct ta_import request = {.source = rest[0],
                                      .destination = rest[1],
                                      .ref = options->ref,
                                      .subfolder = options->subfolder,
                                      .in_place = options->in_place,
                                      .gather = options->gather,
                                      .anyway = options->anyway};
    return ta_import(session->context, &request, session->report, &session->why);
}

static enum ta_status command_configure(struct session *session) {
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
    const struct ta_choices choices = {.sdk = options->sdk,
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

static enum ta_status command_ready(struct session *session) {
    return ta_ready(session->context, here, session->options.fix, session->report, &session->why);
}

static enum ta_status command_build(struct session *session) {
    const char *edited = session->options.edited;
    enum ta_edits edits = !edited ? TA_EDITS_REFUSED : !strcmp(edited, "keep") ? TA_EDITS_KEPT_ASIDE : TA_EDITS_LOST;
    if (edits == TA_EDITS_LOST && strcmp(edited, "restore"))
        return usage(session, "write --edited keep or --edited restore", "--edited: that is not known");
    return ta_build_edited(session->context, here, edits, session->report, &session->why);
}

static enum ta_status command_show(struct session *session) {
    return session->options.files ? ta_show_files(session->context, here, session->report, &session->why)
                                  : usage(session, "tanchor show --files", "say what to show");
}

static enum ta_status command_deploy(struct session *session) {
    return ta_deploy(session->context, here, session->report, &session->why);
}

static enum ta_status command_verify(struct session *session) {
    return ta_verify(session->context, here, (const char *const *)session->options.rest, rest_count(session),
                     session->report, &session->why);
}

/* The target's console is stdout, byte for byte; what is typed comes from stdin as far as it is there. */
static void write_console(void *with, const uint8_t *bytes, size_t length) {
    (void)with;
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

static enum ta_status command_run(struct session *session) {
    const struct options *options = &session->options;
    struct ta_run run = {.target = options->target,
                         .profile = options->profile,
                         .no_semihosting = options->no_semihosting,
                         .console = write_console,
                         .input = read_input};
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
        json_array_append_new(session->steps, (json_t *)report_to_json(name, 0, report, NULL));
    else
        print_step(&session->output, name, report);
}

static enum ta_status command_demo(struct session *session) {
    const char *folder = rest_count(session) ? session->options.rest[0] : NULL;
    gint64 start = g_get_monotonic_time();
    session->steps = json_array();
    enum ta_status status = ta_demo(session->context, folder, show_step, session, &session->why);
    session->report->seconds = (double)(g_get_monotonic_time() - start) / 1e6;
    session->report->next = folder ? "go there and change a line" : "tanchor import tide-lamp, and make it yours";
    return status;
}

static enum ta_status command_standing(struct session *session) {
    return ta_standing(session->context, here, session->report, &session->why);
}

/* Options, each shared by the commands that take it. */

enum {
    TAKES_CHOICES = 1,
    TAKES_RUN = 2,
    TAKES_TARGET = 4,
    TAKES_REST = 8,
    TAKES_IMPORT = 16,
    TAKES_QUERY = 32,
    TAKES_EDITED = 64,
    TAKES_SET = 128,
    TAKES_FIX = 256,
    TAKES_FILES = 512,
};

static const struct command {
    const char *name, *arguments, *summary, *done;
    enum ta_status (*run)(struct session *session);
    int takes;
    const struct action *actions;
} commands[] = {
    {"catalog", "[WORD... | ACTION NAME]", "find examples, SDKs and boards; show, add, pack one, say where from",
     "Done", command_catalog, TAKES_QUERY | TAKES_REST, catalog_actions},
    {"import", "SOURCE [FOLDER]", "make a project from an example, a folder, an archive or a repository", "Imported",
     command_import, TAKES_IMPORT | TAKES_REST, NULL},
    {"configure", "", "choose versions, compiler, target, settings, and say why", "Configured", command_configure,
     TAKES_CHOICES | TAKES_TARGET, NULL},
    {"ready", "", "check all that the project needs, each problem with its fix", "Checked", command_ready, TAKES_FIX,
     NULL},
    {"build", "", "make the image", "Built", command_build, TAKES_EDITED, NULL},
    {"show", "--files", "whose the files are: the author's, generated, the SDK's", "Looked", command_show, TAKES_FILES,
     NULL},
    {"deploy", "", "put the image on the target, and read back what is there", "Deployed", command_deploy, 0, NULL},
    {"run", "[PROGRAM [ARGUMENT...]]", "run the image, or a bare ELF, and show its console", "Ran", command_run,
     TAKES_RUN | TAKES_TARGET | TAKES_REST, NULL},
    {"verify", "[TRIAL...]", "run the trials whose names hold one of these texts, or all", "Verified", command_verify,
     TAKES_REST, NULL},
    {"bench", "[ACTION NAME...]", "the boards and emulators that you have: list, add, show, switch, remove", "Done",
     command_bench, TAKES_SET | TAKES_REST, bench_actions},
    {"demo", "[FOLDER]", "the whole chain on the demo data", "Done", command_demo, TAKES_REST, NULL},
};
static const struct command standing = {"standing", "", "", "", command_standing, 0, NULL};

static const char help_tail[] =
    "Without a command: where this project stands, and the next step.\n"
    "tanchor COMMAND --help tells a command's options.\n\n"
    "Exit codes: 0 done; 1 the answer is no; 2 wrong usage; 3 disk, network or a tool failed.";

static GOptionContext *make_parser(struct options *options, const struct command *command) {
    const GOptionEntry common[] = {
        {"directory", 'C', 0, G_OPTION_ARG_FILENAME, &options->folder, "Go to FOLDER first", "FOLDER"},
        {"json", 0, 0, G_OPTION_ARG_NONE, &options->json, "Answer with one JSON document (docs/json.md)", NULL},
        {"quiet", 0, 0, G_OPTION_ARG_NONE, &options->quiet, "Say only what is wrong", NULL},
        {"version", 0, 0, G_OPTION_ARG_NONE, &options->version, "Tell the version", NULL},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry choices[] = {
        {"sdk", 0, 0, G_OPTION_ARG_STRING, &options->sdk, "The SDK, for example strand@2.1.0", "NAME[@VERSION]"},
        {"compiler", 0, 0, G_OPTION_ARG_STRING, &options->compiler, "gcc or clang", "NAME[@VERSION]"},
        {"optimise", 0, 0, G_OPTION_ARG_STRING, &options->optimise, "For size, speed or debug", "WHAT"},
        {"list", 0, 0, G_OPTION_ARG_NONE, &options->list, "What this computer has to choose from", NULL},
        {"show", 0, 0, G_OPTION_ARG_NONE, &options->show, "What is chosen", NULL},
        {"diff", 0, 0, G_OPTION_ARG_NONE, &options->diff, "What is other than when it was verified last", NULL},
        {"back", 0, 0, G_OPTION_ARG_NONE, &options->back, "Take the setup that was verified last", NULL},
        {"with", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options->with, "A component beside those that are needed",
         "NAME[@VERSION]"},
        {"without", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options->without, "A component that must not be there", "NAME"},
        {"setting", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options->settings, "A value for settings.env", "NAME=VALUE"},
        {"stack", 0, 0, G_OPTION_ARG_STRING, &options->stack, "The stack's size, for example 4KiB", "SIZE"},
        {"heap", 0, 0, G_OPTION_ARG_STRING, &options->heap, "The least that must be left for the heap", "SIZE"},
        {"console-speed", 0, 0, G_OPTION_ARG_STRING, &options->console_speed, "For example 9600", "BAUD"},
        {"clock", 0, 0, G_OPTION_ARG_STRING, &options->clock, "One of the clocks of the board's profile", "FREQUENCY"},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry query[] = {
        {"kind", 0, 0, G_OPTION_ARG_STRING, &options->kind, "example, sdk, component, board, emulator or platform",
         "KIND"},
        {"board", 0, 0, G_OPTION_ARG_STRING, &options->board, "Examples that fit this board", "PROFILE"},
        {"component", 0, 0, G_OPTION_ARG_STRING, &options->component, "What needs or holds this component", "NAME"},
        {"key", 0, 0, G_OPTION_ARG_FILENAME, &options->key, "Sign what is packed with this Ed25519 key", "FILE"},
        {"accept", 0, 0, G_OPTION_ARG_STRING, &options->accept, "A depot shall want this licence text accepted",
         "NAME"},
        {"account", 0, 0, G_OPTION_ARG_STRING, &options->account, "Who signs in", "NAME"},
        {"anyway", 0, 0, G_OPTION_ARG_NONE, &options->anyway, "Remove even what is in use", NULL},
        {"first", 0, 0, G_OPTION_ARG_NONE, &options->first, "Ask this catalog before all others", NULL},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry import[] = {
        {"ref", 0, 0, G_OPTION_ARG_STRING, &options->ref, "Of a repository: this branch or tag", "NAME"},
        {"subfolder", 0, 0, G_OPTION_ARG_FILENAME, &options->subfolder, "Where in the source the project is", "PATH"},
        {"in-place", 0, 0, G_OPTION_ARG_NONE, &options->in_place, "Use the folder where it is, copy nothing", NULL},
        {"gather", 0, 0, G_OPTION_ARG_NONE, &options->gather,
         "Copy in what the manifest and #includes name outside the folder", NULL},
        {"anyway", 0, 0, G_OPTION_ARG_NONE, &options->anyway, "Import in spite of problems", NULL},
        {"yes", 'y', 0, G_OPTION_ARG_NONE, &options->yes, "Fetch what is needed without asking", NULL},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry run[] = {
        {"for", 0, 0, G_OPTION_ARG_STRING, &options->for_text, "Stop after this device time, for example 3s", "TIME"},
        {"profile", 0, 0, G_OPTION_ARG_STRING, &options->profile,
         "Run PROGRAM on a throwaway target made from a profile", "NAME-or-FILE"},
        {"pace", 0, 0, G_OPTION_ARG_STRING, &options->pace, "real: as fast as the board; full: as fast as it goes",
         "PACE"},
        {"no-semihosting", 0, 0, G_OPTION_ARG_NONE, &options->no_semihosting, "Leave semihosting calls unanswered",
         NULL},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry edited[] = {
        {"edited", 0, 0, G_OPTION_ARG_STRING, &options->edited,
         "Generated files that were edited: keep them aside, or restore what was generated", "keep|restore"},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry set[] = {
        {"profile", 0, 0, G_OPTION_ARG_STRING, &options->profile, "The profile that a target is made from", "NAME"},
        {"set", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options->set, "A key of the profile that is other for this target",
         "KEY=VALUE"},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry files[] = {
        {"files", 0, 0, G_OPTION_ARG_NONE, &options->files, "The files, by where they come from", NULL},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry fix[] = {
        {"fix", 0, 0, G_OPTION_ARG_NONE, &options->fix, "Mend first what is safe to mend", NULL},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry target[] = {
        {"target", 0, 0, G_OPTION_ARG_STRING, &options->target, "A target on the bench", "NAME"},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const GOptionEntry rest[] = {
        {G_OPTION_REMAINING, 0, 0, G_OPTION_ARG_FILENAME_ARRAY, &options->rest, NULL, NULL},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    const struct {
        int bit;
        const GOptionEntry *entries;
    } groups[] = {{TAKES_CHOICES, choices}, {TAKES_IMPORT, import}, {TAKES_QUERY, query},   {TAKES_RUN, run},
                  {TAKES_TARGET, target},   {TAKES_REST, rest},     {TAKES_EDITED, edited}, {TAKES_SET, set},
                  {TAKES_FIX, fix},         {TAKES_FILES, files}};
    g_autofree char *parameters = g_strdup_printf("%s%s", command->arguments, *command->summary ? "" : "[COMMAND]");
    GOptionContext *parser = g_option_context_new(parameters);
    g_option_context_add_main_entries(parser, common, NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(groups); ++i)
        if (command->takes & groups[i].bit)
            g_option_context_add_main_entries(parser, groups[i].entries, NULL);
    return parser;
}

static void describe_commands(GOptionContext *parser) {
    g_autoptr(GString) text = g_string_new("From somebody's example to a verified run on a board.\n\nCommands:\n");
    for (size_t i = 0; i < G_N_ELEMENTS(commands); ++i)
        g_string_append_printf(text, "  %-10s %-24s %s\n", commands[i].name, commands[i].arguments,
                               commands[i].summary);
    g_option_context_set_summary(parser, text->str);
    g_option_context_set_description(parser, help_tail);
}

static const struct command *find_command(const char *name) {
    for (size_t i = 0; i < G_N_ELEMENTS(commands); ++i)
        if (!strcmp(commands[i].name, name))
            return &commands[i];
    return NULL;
}

/* Reads the options before the command, the command, and the options behind it. */
static const struct command *parse(struct session *session, int argc, char **argv) {
    const struct command *command = &standing;
    g_autoptr(GError) error = NULL;
    GOptionContext *parser = make_parser(&session->options, &standing);
    g_option_context_set_strict_posix(parser, TRUE);
    describe_commands(parser);
    bool good = g_option_context_parse(parser, &argc, &argv, &error);
    g_option_context_free(parser);
    if (good && argc > 1) {
        command = find_command(argv[1]);
        if (!command) {
            ta_problem_set(&session->why, TA_E_USAGE, "tanchor --help lists them", "there is no command \"%s\"",
                           argv[1]);
            return NULL;
        }
        parser = make_parser(&session->options, command);
        g_option_context_set_summary(parser, command->summary);
        if (command->actions) {
            g_autofree char *actions = actions_help(command->name, command->actions);
            g_option_context_set_description(parser, actions);
        }
        g_autofree char *name = g_strdup_printf("tanchor %s", command->name);
        g_set_prgname(name);
        --argc;
        ++argv;
        good = g_option_context_parse(parser, &argc, &argv, &error);
        g_option_context_free(parser);
    }
    if (good && argc > 1) {
        ta_problem_set(&session->why, TA_E_USAGE, "leave it out", "tanchor %s takes no \"%s\"", command->name, argv[1]);
        return NULL;
    }
    if (good)
        return command;
    g_autofree char *fix = command == &standing ? g_strdup("tanchor --help lists the options")
                                                : g_strdup_printf("tanchor %s --help lists the options", command->name);
    ta_problem_set(&session->why, TA_E_USAGE, fix, "%s", error->message);
    return NULL;
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
    session->context->cancelled = is_interrupted;
    session->context->progress = show_progress;
    session->context->agrees = ask_agreement;
    session->context->compiler_output = show_compiler_output;
    session->context->with = session;
    return TA_OK;
}

/* With --json there is one document, on stdout; for run, whose stdout is the console, on stderr. */
static void answer(struct session *session, const struct command *command, enum ta_status status, int exit_code) {
    bool has_problem = *session->why.what != '\0';
    clear_progress(&session->output);
    if (session->output.json) {
        json_t *document =
            (json_t *)report_to_json(command->name, exit_code, session->report, has_problem ? &session->why : NULL);
        if (session->steps)
            json_object_set(document, "steps", session->steps);
        json_dumpf(document, session->output.stream, JSON_INDENT(2));
        fputc('\n', session->output.stream);
        json_decref(document);
    } else {
        if (!status || session->report->finding_count || session->report->verdict_count)
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

static void free_options(struct options *options) {
    char *const texts[] = {options->folder,    options->sdk,       options->compiler,      options->target,
                           options->profile,   options->optimise,  options->for_text,      options->pace,
                           options->ref,       options->subfolder, options->kind,          options->board,
                           options->component, options->key,       options->accept,        options->account,
                           options->stack,     options->heap,      options->console_speed, options->clock,
                           options->edited};
    for (size_t i = 0; i < G_N_ELEMENTS(texts); ++i)
        g_free(texts[i]);
    g_strfreev(options->rest);
    g_strfreev(options->with);
    g_strfreev(options->without);
    g_strfreev(options->settings);
    g_strfreev(options->set);
}

int main(int argc, char **argv) {
    struct session session = {.exit_code = -1};
    setlocale(LC_ALL, "");
    g_set_prgname("tanchor");
    const struct command *command = parse(&session, argc, argv);
    if (!command) {
        print_problem(&session.why);
        free_options(&session.options);
        return ta_status_exit_code(TA_E_USAGE);
    }
    if (session.options.version) {
        printf("tanchor %s\n", TA_VERSION);
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
