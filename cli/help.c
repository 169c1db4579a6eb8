#include "cli/help.h"

#include "cli/layout.h"

#include <stdio.h>
#include <string.h>

enum { DEFAULT_WIDTH = 100 };

static const char about[] =
    "Takes an embedded example to a verified run on a board: import, configure, build, deploy, verify. Without a "
    "command, shows where the project stands, and the next step.";

static const struct {
    const char *code, *meaning;
} exit_codes[] = {{"0", "done"},
                  {"1", "the answer is no: input refused, not ready, build failed, trial failed"},
                  {"2", "wrong usage"},
                  {"3", "disk, network or a tool failed"}};

static const struct {
    const char *name, *meaning;
} variables[] = {{"TANCHOR_HOME", "one folder for all that lasts, instead of the XDG base directories"},
                 {"TANCHOR_CATALOG", "folders of the bundled catalog, joined by \":\""},
                 {"NO_COLOR", "plain text"}};

static size_t width(void) {
    size_t columns = layout_width(stdout);
    return columns ? columns : DEFAULT_WIDTH;
}

/* Pairs of texts in two columns. The array's texts are freed. */
static void print_pairs(GPtrArray *texts) {
    const struct grid grid = {
        .cells = (const char *const *)texts->pdata, .columns = 2, .rows = texts->len / 2, .indent = 2};
    layout_grid(stdout, width(), &grid);
    g_ptr_array_free(texts, TRUE);
}

static GPtrArray *new_pairs(void) {
    return g_ptr_array_new_with_free_func(g_free);
}

/* "-C, --directory FOLDER". */
static char *option_form(const struct option *option) {
    g_autofree char *letter = option->letter ? g_strdup_printf("-%c, ", option->letter) : g_strdup("");
    if (option->is_optional)
        return g_strdup_printf("%s--%s[=%s]", letter, option->name, option->argument);
    return g_strdup_printf("%s--%s%s%s", letter, option->name, option->argument ? " " : "",
                           option->argument ? option->argument : "");
}

static bool is_common(const struct option *option) {
    return option < all_options + COMMON_OPTIONS;
}

/* The options of NAMES; null: those of every command. */
static void print_options(const char *names) {
    GPtrArray *pairs = new_pairs();
    for (const struct option *option = all_options; option->name; ++option)
        if (names ? !is_common(option) && words_hold(names, option->name) : is_common(option)) {
            g_ptr_array_add(pairs, option_form(option));
            g_ptr_array_add(pairs, g_strdup(option->help));
        }
    print_pairs(pairs);
}

static char *action_form(const struct command *command, const struct action *action) {
    g_autofree char *words = action_words(command, action);
    return g_strchomp(g_strdup_printf("%s %s%s", words, action->options && *action->options ? "[OPTION...] " : "",
                                      action->arguments));
}

static void print_examples(const struct action *action) {
    for (size_t i = 0; i < G_N_ELEMENTS(action->examples) && action->examples[i]; ++i)
        printf("%stanchor %s\n", i ? "  " : "\nExamples:\n  ", action->examples[i]);
}

static void print_action(const struct command *command, const struct action *action) {
    g_autofree char *form = action_form(command, action);
    printf("Usage: %s\n\n%c", form, g_ascii_toupper(*action->summary));
    layout_paragraph(stdout, width(), 1, 0, action->summary + 1);
    if (action->about) {
        putchar('\n');
        layout_paragraph(stdout, width(), 0, 0, action->about);
    }
    if (action->options && *action->options) {
        printf("\nOptions:\n");
        print_options(action->options);
    }
    printf("\nOptions of every command:\n");
    print_options(NULL);
    print_examples(action);
}

/* A command of several actions: one line each. */
static void print_command(const struct command *command) {
    GPtrArray *pairs = new_pairs();
    printf("Usage: tanchor %s [ACTION] ...\n\nActions:\n", command->name);
    for (const struct action *action = command->actions; action->run; ++action) {
        g_ptr_array_add(pairs,
                        g_strchomp(g_strdup_printf("%s %s", action->name ? action->name : "", action->arguments)));
        g_strchug(pairs->pdata[pairs->len - 1]);
        g_ptr_array_add(pairs, g_strdup(action->summary));
    }
    print_pairs(pairs);
    printf("\ntanchor %s ACTION --help shows an action's options, with examples.\n", command->name);
    print_examples(command->actions);
}

static void print_overview(const struct command *all) {
    GPtrArray *pairs = new_pairs();
    printf("Usage: tanchor [OPTION...] [COMMAND [ACTION] ...]\n\n");
    layout_paragraph(stdout, width(), 0, 0, about);
    printf("\nCommands:\n");
    for (const struct command *command = all; command->name; ++command)
        if (!command->hidden) {
            g_ptr_array_add(pairs, g_strdup(command->name));
            g_ptr_array_add(pairs, g_strdup(command->summary));
        }
    print_pairs(pairs);
    printf("\nOptions of every command:\n");
    print_options(NULL);
    printf("\ntanchor help COMMAND, or tanchor COMMAND ACTION --help, shows more.\n\nExit codes:\n");
    pairs = new_pairs();
    for (size_t i = 0; i < G_N_ELEMENTS(exit_codes); ++i) {
        g_ptr_array_add(pairs, g_strdup(exit_codes[i].code));
        g_ptr_array_add(pairs, g_strdup(exit_codes[i].meaning));
    }
    print_pairs(pairs);
}

void print_help(const struct command *all, const struct command *command, const struct action *action) {
    if (!command || !*command->name)
        print_overview(all);
    else if (action || !command->actions[1].run)
        print_action(command, action ? action : command->actions);
    else
        print_command(command);
}

/* The reference. */

/* Bars would end a cell. */
static void print_cell(const char *text) {
    for (; *text; ++text)
        printf(*text == '|' ? "\\|" : "%c", *text);
}

static void reference_options(const char *names) {
    printf("\n| option | |\n| --- | --- |\n");
    for (const struct option *option = all_options; option->name; ++option)
        if (names ? !is_common(option) && words_hold(names, option->name) : is_common(option)) {
            g_autofree char *form = option_form(option);
            printf("| `%s` | ", form);
            print_cell(option->help);
            printf(" |\n");
        }
}

static void reference_action(const struct command *command, const struct action *action) {
    g_autofree char *form = action_form(command, action), *words = action_words(command, action);
    if (action->name)
        printf("\n### %s\n", words);
    printf("\n    %s\n\n%c%s.", form, g_ascii_toupper(*action->summary), action->summary + 1);
    printf("%s%s\n", action->about ? " " : "", action->about ? action->about : "");
    if (action->options && *action->options)
        reference_options(action->options);
    for (size_t i = 0; i < G_N_ELEMENTS(action->examples) && action->examples[i]; ++i)
        printf("%s    tanchor %s\n", i ? "" : "\nFor example:\n\n", action->examples[i]);
}

static void print_reference(const struct command *all) {
    printf("<!-- Made by: tanchor help --markdown -->\n\n# tanchor: takes an embedded example to a verified run on a "
           "board\n\n    tanchor [OPTION...] [COMMAND [ACTION] ...]\n\n%s\n\n## Options of every command\n",
           about);
    reference_options(NULL);
    for (const struct command *command = all; command->name; ++command) {
        if (command->hidden)
            continue;
        printf("\n## tanchor %s\n", command->name);
        for (const struct action *action = command->actions; action->run; ++action)
            reference_action(command, action);
    }
    printf("\n## Exit codes\n\n| code | |\n| --- | --- |\n");
    for (size_t i = 0; i < G_N_ELEMENTS(exit_codes); ++i)
        printf("| %s | %s |\n", exit_codes[i].code, exit_codes[i].meaning);
    printf("\n## Environment\n\n| variable | |\n| --- | --- |\n");
    for (size_t i = 0; i < G_N_ELEMENTS(variables); ++i)
        printf("| `%s` | %s |\n", variables[i].name, variables[i].meaning);
}

enum ta_status run_help(struct session *session) {
    const struct command *command = NULL;
    const struct action *action = NULL;
    if (session->name_count) {
        const char *near = command_near(session->commands, session->names[0]);
        g_autofree char *fix =
            near ? g_strdup_printf("did you mean tanchor help %s?", near) : g_strdup("tanchor help lists the commands");
        command = command_find(session->commands, session->names[0]);
        if (!command || command->hidden)
            return ta_problem_set(&session->why, TA_E_USAGE, fix, "there is no command \"%s\"", session->names[0]);
    }
    if (session->name_count > 1) {
        const char *near = action_near(command, session->names[1]);
        g_autofree char *fix = near ? g_strdup_printf("did you mean %s?", near)
                                    : g_strdup_printf("tanchor help %s lists them", command->name);
        action = action_find(command, session->names[1]);
        if (!action)
            return ta_problem_set(&session->why, TA_E_USAGE, fix, "%s has no action \"%s\"", command->name,
                                  session->names[1]);
    }
    if (session->options.markdown)
        print_reference(session->commands);
    else
        print_help(session->commands, command, action);
    session->answered = true;
    return TA_OK;
}
