/* Completion for shells: what the last of the words given may become, from the table of commands, the catalog, the bench and the
   project. A line each: the word, a tab, what it is. The line ":files" stands for names of files. */
#include "cli/commands.h"

#include <string.h>

struct completion {
    struct session *session;
    const char *prefix; /* what is typed of the word */
    const char *head;   /* what stands in front of it: "--sdk=" */
    char **names;       /* behind the action, without options */
    size_t name_count;
};

/* A word that a terminal would not show as it is is not offered. */
static void offer(const struct completion *completion, const char *word, const char *about) {
    if (*word == ':') /* what somebody calls ":files" is not that line */
        return;
    g_autofree char *shown = shown_text(word), *note = shown_text(about ? about : "");
    if (g_str_has_prefix(word, completion->prefix) && !strcmp(shown, word))
        printf("%s%s\t%s\n", completion->head, word, note);
}

static void offer_words(const struct completion *completion, const char *words) {
    g_auto(GStrv) each = g_strsplit(words, " ", -1);
    for (char **word = each; *word; ++word)
        offer(completion, *word, NULL);
}

/* What the library lists. */

typedef enum ta_status list(struct session *session, const struct completion *completion, struct ta_report *report);

static enum ta_status list_kind(struct session *session, const char *kind, struct ta_report *report) {
    const struct ta_catalog_query query = {.size_bytes = sizeof query, .kind = kind, .here_only = true};
    return ta_catalog(session->context, &query, report, NULL);
}

static enum ta_status list_examples(struct session *session, const struct completion *completion,
                                    struct ta_report *report) {
    (void)completion;
    return list_kind(session, "example", report);
}

static enum ta_status list_all(struct session *session, const struct completion *completion, struct ta_report *report) {
    (void)completion;
    return list_kind(session, NULL, report);
}

static enum ta_status list_sdks(struct session *session, const struct completion *completion,
                                struct ta_report *report) {
    (void)completion;
    return list_kind(session, "sdk", report);
}

static enum ta_status list_components(struct session *session, const struct completion *completion,
                                      struct ta_report *report) {
    (void)completion;
    return list_kind(session, "component", report);
}

static enum ta_status list_places(struct session *session, const struct completion *completion,
                                  struct ta_report *report) {
    (void)completion;
    return ta_catalog_places(session->context, report, NULL);
}

static enum ta_status list_targets(struct session *session, const struct completion *completion,
                                   struct ta_report *report) {
    (void)completion;
    return ta_bench_list(session->context, report, NULL);
}

static enum ta_status list_switches(struct session *session, const struct completion *completion,
                                    struct ta_report *report) {
    return completion->name_count ? ta_bench_show(session->context, completion->names[0], report, NULL)
                                  : ta_bench_list(session->context, report, NULL);
}

static enum ta_status list_settings(struct session *session, const struct completion *completion,
                                    struct ta_report *report) {
    (void)completion;
    return ta_settings_list(session->context, ".", report, NULL);
}

static enum ta_status list_trials(struct session *session, const struct completion *completion,
                                  struct ta_report *report) {
    (void)completion;
    return ta_trials_list(session->context, ".", report, NULL);
}

/* The word of a row: WORD, BETWEEN and each of the values of MORE, which are apart by commas. */
static const struct {
    enum source source;
    list *list;
    const char *table, *word, *between, *more, *about;
} sources[] = {
    {SOURCE_EXAMPLES, list_examples, "examples", "name", NULL, NULL, "title"},
    {SOURCE_PACKAGES, list_all, "examples", "name", NULL, NULL, "title"},
    {SOURCE_PACKAGES, list_all, "sdks", "name", NULL, NULL, "title"},
    {SOURCE_PACKAGES, list_all, "components", "name", NULL, NULL, "title"},
    {SOURCE_PACKAGES, list_all, "boards", "name", NULL, NULL, "title"},
    {SOURCE_PACKAGES, list_all, "platforms", "name", NULL, NULL, "title"},
    {SOURCE_COMPONENTS, list_components, "components", "name", NULL, NULL, "title"},
    {SOURCE_SDKS, list_sdks, "sdks", "name", "@", "version", "title"},
    {SOURCE_PROFILES, list_all, "boards", "name", NULL, NULL, "title"},
    {SOURCE_PLACES, list_places, "places", "place", NULL, NULL, "kind"},
    {SOURCE_TARGETS, list_targets, "targets", "target", NULL, NULL, "title"},
    {SOURCE_SWITCHES, list_switches, "targets", "target", NULL, NULL, "title"},
    {SOURCE_SWITCHES, list_switches, "switches", "switch", "=", "positions", NULL},
    {SOURCE_SETTINGS, list_settings, "settings", "name", "=", NULL, "ask"},
    {SOURCE_TRIALS, list_trials, "trials", "trial", NULL, NULL, "file"},
};

static const char *cell(const struct ta_table *table, size_t row, const char *column) {
    for (size_t i = 0; column && i < table->column_count; ++i)
        if (!strcmp(table->columns[i].name, column))
            return table->cells[row * table->column_count + i].text;
    return NULL;
}

static void offer_rows(const struct completion *completion, size_t at, const struct ta_table *table) {
    const char *before = NULL;
    for (size_t row = 0; row < table->row_count; ++row) {
        const char *word = cell(table, row, sources[at].word), *more = cell(table, row, sources[at].more);
        g_auto(GStrv) values = g_strsplit(more ? more : "", ", ", -1);
        if (!word || (!sources[at].more && !g_strcmp0(word, before))) /* several versions of one name */
            continue;
        before = word;
        for (size_t i = 0; !i || (*values && values[i]); ++i) {
            g_autofree char *whole =
                g_strconcat(word, sources[at].between ? sources[at].between : "", *values ? values[i] : "", NULL);
            offer(completion, whole, cell(table, row, sources[at].about));
        }
    }
}

static void offer_source(const struct completion *completion, enum source source) {
    const struct ta_table *table;
    if (source == SOURCE_FILES || source == SOURCE_EXAMPLES || (source == SOURCE_PROFILES && *completion->prefix))
        printf(":files\n");
    for (size_t i = 0; i < G_N_ELEMENTS(sources); ++i) {
        struct ta_report *report = sources[i].source == source ? ta_report_new() : NULL;
        if (report)
            sources[i].list(completion->session, completion, report);
        for (size_t k = 0; report && (table = ta_report_table(report, k)); ++k)
            if (!strcmp(table->name, sources[i].table))
                offer_rows(completion, i, table);
        ta_report_free(report);
    }
}

/* What the table of commands lists. */

static void offer_commands(const struct completion *completion) {
    for (const struct command *command = completion->session->commands; command->name; ++command)
        if (!command->hidden)
            offer(completion, command->name, command->summary);
}

static void offer_actions(const struct completion *completion, const struct command *command) {
    for (const struct action *action = command->actions; action->run; ++action)
        if (action->name)
            offer(completion, action->name, action->summary);
}

/* The options of ACTION, or, while that is open, of all that the command has. */
static bool takes(const struct command *command, const struct action *action, const struct option *option) {
    bool taken = option < all_options + COMMON_OPTIONS;
    for (const struct action *each = command ? command->actions : NULL; each && each->run; ++each)
        taken = taken || ((!action || !action->name || action == each) && words_hold(each->options, option->name));
    return taken;
}

static void offer_options(const struct completion *completion, const struct command *command,
                          const struct action *action) {
    for (const struct option *option = all_options; option->name; ++option) {
        g_autofree char *word = g_strconcat("--", option->name, NULL);
        if (takes(command, action, option))
            offer(completion, word, option->help);
    }
}

static void offer_value(const struct completion *completion, const struct option *option) {
    if (option->words)
        offer_words(completion, option->words);
    else
        offer_source(completion, option->source);
}

static void complete_help(const struct completion *completion) {
    const struct command *command =
        completion->name_count ? command_find(completion->session->commands, completion->names[0]) : NULL;
    if (!completion->name_count)
        offer_commands(completion);
    else if (command)
        offer_actions(completion, command);
}

static void complete_name(const struct completion *completion, const struct command *command,
                          const struct action *action) {
    if (action->names == SOURCE_COMMANDS) {
        complete_help(completion);
        return;
    }
    if (!action->name && !completion->name_count)
        offer_actions(completion, command);
    if (completion->name_count < action->most)
        offer_source(completion, action->names);
}

enum ta_status run_complete(struct session *session) {
    static char empty[] = "";
    g_autoptr(GPtrArray) names = g_ptr_array_new();
    const struct command *command = NULL;
    const struct action *action = NULL;
    const struct option *open = NULL; /* its value comes next */
    size_t count = session->name_count;
    char *last = count ? session->names[count - 1] : empty, *equals = strchr(last, '=');
    struct completion completion = {.session = session, .prefix = last, .head = ""};
    session->answered = true;
    for (size_t i = 0; i + 1 < count; ++i) {
        char *word = session->names[i];
        const struct action *named = command && !names->len ? action_find(command, word) : NULL;
        bool value = open != NULL;
        open = value ? NULL : option_awaits_value(word);
        if (value || word[0] == '-')
            continue;
        if (!command) {
            command = command_find(session->commands, word);
            if (!command)
                return TA_OK;
            action = command ? action_find(command, NULL) : NULL;
        } else if (named && (!action || !action->name)) {
            action = named;
        } else {
            g_ptr_array_add(names, word);
        }
    }
    completion.names = (char **)names->pdata;
    completion.name_count = names->len;
    g_autofree char *head = equals ? g_strndup(last, (gsize)(equals - last) + 1) : NULL;
    g_autofree char *name = equals && last[0] == '-' ? g_strndup(last, (gsize)(equals - last)) : NULL;
    if (name && option_awaits_value(name)) {
        completion.head = head;
        completion.prefix = equals + 1;
        offer_value(&completion, option_awaits_value(name));
    } else if (open) {
        offer_value(&completion, open);
    } else if (last[0] == '-') {
        offer_options(&completion, command, action);
    } else if (!command) {
        offer_commands(&completion);
    } else if (action) {
        complete_name(&completion, command, action);
    } else {
        offer_actions(&completion, command);
    }
    return TA_OK;
}
