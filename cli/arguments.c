#include "cli/arguments.h"

#include "base/text.h"

#include <string.h>

/* Options of NAMES, those of every command among them, for the parser to write to OPTIONS. Freed with g_free. */
static GOptionEntry *make_entries(struct options *options, const char *names) {
    GArray *entries = g_array_new(TRUE, TRUE, sizeof(GOptionEntry));
    for (const struct option *option = all_options; option->name; ++option) {
        const GOptionEntry entry = {option->name, option->letter,  0, option->kind, (char *)options + option->offset,
                                    option->help, option->argument};
        if (option < all_options + COMMON_OPTIONS || words_hold(names, option->name))
            g_array_append_val(entries, entry);
    }
    const GOptionEntry rest = {G_OPTION_REMAINING, 0, 0, G_OPTION_ARG_FILENAME_ARRAY, &options->rest, NULL, NULL};
    g_array_append_val(entries, rest);
    return (GOptionEntry *)(void *)g_array_free(entries, FALSE);
}

/* All options that the command's actions take. */
static char *all_names(const struct command *command) {
    g_autoptr(GString) names = g_string_new(NULL);
    for (const struct action *action = command->actions; action->run; ++action)
        g_string_append_printf(names, "%s ", action->options ? action->options : "");
    return g_strdup(names->str);
}

/* The word that looks like an option and is none of NAMES: what the parser stumbled over. */
static bool explain_unknown(struct session *session, int argc, char **argv, const char *names, const char *fix) {
    for (int i = 1; i < argc && strcmp(argv[i], "--"); ++i) {
        g_autofree char *word = g_strndup(argv[i], strcspn(argv[i], "="));
        const char *near = NULL;
        bool known = false;
        if (word[0] != '-' || !word[1])
            continue;
        for (const struct option *option = all_options; option->name; ++option) {
            bool taken = option < all_options + COMMON_OPTIONS || words_hold(names, option->name);
            bool same = word[1] == '-' ? !strcmp(word + 2, option->name) : word[1] == option->letter;
            known = known || (taken && same);
            near = taken && word[1] == '-' ? text_nearer(word + 2, option->name, near) : near;
        }
        g_autofree char *meant = near ? g_strdup_printf("did you mean --%s?", near) : g_strdup(fix);
        if (!known)
            return ta_problem_set(&session->why, TA_E_USAGE, meant, "there is no option %s here", word);
    }
    return false;
}

/* An option that may stand without its value gets an empty one. */
static void give_empty_values(int argc, char **argv) {
    for (int i = 1; i < argc && strcmp(argv[i], "--"); ++i) {
        const struct option *option = g_str_has_prefix(argv[i], "--") ? option_find(argv[i] + 2) : NULL;
        if (option && option->is_optional) {
            g_autofree char *word = g_strconcat(argv[i], "=", NULL);
            argv[i] = (char *)g_intern_string(word);
        }
    }
}

/* Reads the options of COMMAND (null: the common ones, up to the first word that is none). */
static bool parse_options(struct session *session, const struct command *command, int *argc, char ***argv) {
    g_autofree char *names = command ? all_names(command) : g_strdup("");
    g_autofree GOptionEntry *entries = make_entries(&session->options, names);
    g_autofree char *fix =
        command ? g_strdup_printf("tanchor %s --help lists them", command->name) : g_strdup("tanchor help");
    g_autoptr(GError) error = NULL;
    GOptionContext *parser = g_option_context_new(NULL);
    int count = *argc;
    if (command)
        give_empty_values(*argc, *argv);
    g_autofree char **words = g_memdup2(*argv, ((gsize)count + 1) * sizeof *words);
    g_option_context_set_help_enabled(parser, FALSE);
    g_option_context_set_strict_posix(parser, !command);
    if (!command)
        entries[COMMON_OPTIONS] = (GOptionEntry){0}; /* words stay where they are */
    g_option_context_add_main_entries(parser, entries, NULL);
    bool good = g_option_context_parse(parser, argc, argv, &error);
    g_option_context_free(parser);
    if (good)
        return true;
    if (g_error_matches(error, G_OPTION_ERROR, G_OPTION_ERROR_UNKNOWN_OPTION) &&
        explain_unknown(session, count, words, names, fix))
        return false;
    ta_problem_set(&session->why, TA_E_USAGE, fix, "%s", error->message);
    return false;
}

/* Help is shown whatever else is wrong. */
static bool asks_for_help(int argc, char **argv) {
    for (int i = 1; i < argc && strcmp(argv[i], "--"); ++i)
        if (!strcmp(argv[i], "--help") || !strcmp(argv[i], "-h"))
            return true;
    return false;
}

/* With --json, an answer that usage is wrong is JSON too. */
static bool asks_for_json(int argc, char **argv) {
    for (int i = 1; i < argc && strcmp(argv[i], "--"); ++i)
        if (!strcmp(argv[i], "--json"))
            return true;
    return false;
}

static bool find_command(struct session *session, const char *word) {
    const char *near = command_near(session->commands, word);
    g_autofree char *fix =
        near ? g_strdup_printf("did you mean tanchor %s?", near) : g_strdup("tanchor help lists the commands");
    session->command = *word ? command_find(session->commands, word) : NULL;
    if (!session->command)
        return ta_problem_set(&session->why, TA_E_USAGE, fix, "there is no command \"%s\"", word) && false;
    session->action = action_find(session->command, NULL);
    return true;
}

/* The first name may be the name of an action; a command that does nothing without one takes no other. */
static bool find_action(struct session *session) {
    const struct command *command = session->command;
    char **names = session->options.rest;
    const struct action *named = names ? action_find(command, names[0]) : NULL;
    session->action = named ? named : action_find(command, NULL);
    session->names = names ? names + (named != NULL) : NULL;
    session->name_count = session->names ? g_strv_length(session->names) : 0;
    bool has_actions = command->actions[0].run && command->actions[1].run;
    if (named || !names || !has_actions || session->action->most)
        return true;
    const char *near = action_near(command, names[0]);
    g_autoptr(GString) fix = g_string_new(near ? NULL : "its actions are:");
    for (const struct action *action = command->actions; !near && action->run; ++action)
        if (action->name)
            g_string_append_printf(fix, " %s", action->name);
    if (near)
        g_string_printf(fix, "did you mean tanchor %s %s?", command->name, near);
    ta_problem_set(&session->why, TA_E_USAGE, fix->str, "%s has no action \"%s\"", command->name, names[0]);
    return false;
}

/* As many names as the action takes, and no option of another action. */
static bool check_call(struct session *session) {
    const struct action *action = session->action;
    g_autofree char *words = action_words(session->command, action);
    g_autofree char *form = g_strdup_printf("%s %s", words, action->arguments);
    g_strchomp(form);
    for (const struct option *option = all_options + COMMON_OPTIONS; option->name; ++option)
        if (option_is_given(&session->options, option) && !words_hold(action->options, option->name)) {
            g_autofree char *fix = g_strdup_printf("%s --help lists its options", words);
            ta_problem_set(&session->why, TA_E_USAGE, fix, "%s takes no --%s", words + strlen("tanchor "),
                           option->name);
            return false;
        }
    if (session->name_count < action->least)
        ta_problem_set(&session->why, TA_E_USAGE, form, "%s needs %s", words + strlen("tanchor "), action->arguments);
    else if (session->name_count > action->most)
        ta_problem_set(&session->why, TA_E_USAGE, form, "%s takes no \"%s\"", words + strlen("tanchor "),
                       session->names[action->most]);
    return session->name_count >= action->least && session->name_count <= action->most;
}

/* "tanchor -C lamp bench add north --help": the words that are no options say of what. */
static void find_help(struct session *session, int argc, char **argv) {
    session->options.help = TRUE;
    for (int i = 1; i < argc && !session->names_action && !*session->why.what; ++i) {
        if (argv[i][0] == '-')
            i += option_awaits_value(argv[i]) != NULL;
        else if (!session->command)
            find_command(session, argv[i]);
        else if (action_find(session->command, argv[i])) {
            session->action = action_find(session->command, argv[i]);
            session->names_action = true;
        }
    }
}

bool parse_arguments(struct session *session, int argc, char **argv) {
    session->options.json = asks_for_json(argc, argv);
    if (asks_for_help(argc, argv)) {
        find_help(session, argc, argv);
        return !*session->why.what;
    }
    if (!parse_options(session, NULL, &argc, &argv))
        return false;
    if (argc > 1 && !strcmp(argv[1], "--")) {
        ++argv;
        --argc;
    }
    session->command = session->commands;
    session->action = session->command->actions;
    if (argc < 2)
        return true;
    session->command = NULL;
    if (!find_command(session, argv[1]))
        return false;
    --argc;
    ++argv;
    return parse_options(session, session->command, &argc, &argv) && find_action(session) && check_call(session);
}
