/* The command line: which commands and options there are, and what was said. */
#include "cli/arguments.h"

#include <string.h>

static const struct command commands[] = {
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
    {"run", "[PROGRAM [ARGUMENT...]]", "run the image, or a bare ELF, and show its console", "Ran", command_run_image,
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

/* Longer than a screen, and nothing but the table of all options: one place to look them up. */
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
        {"yes", 'y', 0, G_OPTION_ARG_NONE, &options->yes, "Fetch what is needed without asking", NULL},
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
        {"in-place", 0, 0, G_OPTION_ARG_NONE, &options->in_place,
         "Use the folder where it is, copy nothing; it may read what lies outside it", NULL},
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
const struct command *parse_arguments(struct session *session, int argc, char **argv) {
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
