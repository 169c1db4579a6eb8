/* What compilers said: passed on, counted, kept. */
#include "flow/builder/builder.h"

#include <signal.h>

static void show(const struct builder *builder, const char *text) {
    if (*text && builder->context->call.compiler_output)
        builder->context->call.compiler_output(builder->context->call.with, text);
}

/* A compiler that did not end by itself has said nothing of why. */
static void report_end(struct builder *builder, const struct action *action, const struct command *command) {
    const char *program = command->arguments[0];
    if (command->timed_out)
        report_add(builder->report, TA_LEVEL_PROBLEM, action_kind_words[action->kind],
                   "raise compile-seconds in preferences.yaml, if it may take longer",
                   "%s: the compiler was still at work after %u s, and was ended", action->name, builder->limit_s);
    else if (!command->ran)
        report_add(builder->report, TA_LEVEL_PROBLEM, action_kind_words[action->kind],
                   "install it, or {configure} anew", "%s does not start: %s", program, command->errors);
    else if (command->signalled)
        report_add(builder->report, TA_LEVEL_PROBLEM, action_kind_words[action->kind],
                   "see the messages above, or try another version", "%s: the compiler was ended by signal %d (%s)",
                   action->name, command->exit_code - 128, g_strsignal(command->exit_code - 128));
}

const char *builder_heard(struct builder *builder, const struct action *action, const struct command *command) {
    enum { SHOWN_BYTES = 64 << 10 }; /* more than anybody reads */
    g_autoptr(GString) text = g_string_new(command->errors);
    size_t dropped = command->dropped_bytes;
    if (text->len > SHOWN_BYTES) {
        const char *line = g_strrstr_len(text->str, SHOWN_BYTES, "\n");
        size_t kept = line ? (size_t)(line + 1 - text->str) : SHOWN_BYTES;
        dropped += text->len - kept;
        g_string_truncate(text, kept);
    }
    if (dropped)
        g_string_append_printf(text, "\n(and %zu more bytes of messages of %s)\n", dropped, action->name);
    if (command->ran)
        show(builder, text->str);
    if (command->timed_out || !command->ran || command->signalled)
        report_end(builder, action, command);
    return *text->str && command->ran ? arena_text(builder->context->arena, text->str) : NULL;
}

/* What one file has of each. */
struct count {
    const char *file;
    unsigned errors, warnings;
};

static struct count *count_of(GArray *counts, const char *file) {
    for (guint i = 0; i < counts->len; ++i)
        if (!strcmp(g_array_index(counts, struct count, i).file, file))
            return &g_array_index(counts, struct count, i);
    const struct count fresh = {.file = file};
    g_array_append_val(counts, fresh);
    return &g_array_index(counts, struct count, counts->len - 1);
}

static gint errors_first(gconstpointer a, gconstpointer b) {
    const struct count *left = a, *right = b;
    return left->errors != right->errors       ? (left->errors < right->errors ? 1 : -1)
           : left->warnings != right->warnings ? (left->warnings < right->warnings ? 1 : -1)
                                               : strcmp(left->file, right->file);
}

static void add_number(GString *text, unsigned number, const char *word) {
    if (number)
        g_string_append_printf(text, "%s%u %s%s", text->len ? ", " : "", number, word, number == 1 ? "" : "s");
}

/* "src/main.c: 2 errors; src/tide.c: 1 warning", as far as a line goes. */
static char *counts_text(GArray *counts) {
    enum { NAMED = 4 };
    g_autoptr(GString) text = g_string_new(NULL);
    g_array_sort(counts, errors_first);
    for (guint i = 0; i < counts->len && i < NAMED; ++i) {
        const struct count *count = &g_array_index(counts, struct count, i);
        g_autoptr(GString) numbers = g_string_new(NULL);
        add_number(numbers, count->errors, "error");
        add_number(numbers, count->warnings, "warning");
        g_string_append_printf(text, "%s%s: %s", text->len ? "; " : "", count->file, numbers->str);
    }
    if (counts->len > NAMED)
        g_string_append_printf(text, "; and %u more files", counts->len - NAMED);
    return g_strdup(text->str);
}

static void add_row(struct ta_report *report, const struct message *message) {
    report_row(report, CELLS(TEXT_CELL(message->file), {.number = message->line ? (int64_t)message->line : -1},
                             {.number = message->column ? (int64_t)message->column : -1},
                             TEXT_CELL(severity_words[message->severity]), TEXT_CELL(message->text),
                             TEXT_CELL(message->option)));
}

struct heard {
    GArray *counts, *messages;
    unsigned errors, warnings;
};

/* The messages of one action. */
static void hear(struct builder *builder, const char *text, struct heard *heard) {
    size_t count;
    struct message *messages = messages_read(builder->context->arena, text, &count);
    for (size_t i = 0; i < count; ++i) {
        struct message *message = &messages[i];
        const char *program = message->line ? NULL : strrchr(message->file, '/');
        if (program) /* a linker, say: where it lies tells nothing */
            message->file = program + 1;
        g_array_append_val(heard->messages, *message);
        if (message->severity == SEVERITY_NOTE)
            continue;
        struct count *of = count_of(heard->counts, message->file);
        bool error = message->severity == SEVERITY_ERROR;
        of->errors += error;
        of->warnings += !error;
        heard->errors += error;
        heard->warnings += !error;
    }
}

static void report_rows(struct builder *builder, const struct heard *heard) {
    static const struct ta_column columns[] = {{"file", TA_COLUMN_TEXT},
                                               {"line", TA_COLUMN_NUMBER},
                                               {"column", TA_COLUMN_NUMBER},
                                               {"severity", TA_COLUMN_TEXT},
                                               {"text", TA_COLUMN_TEXT},
                                               {"option", TA_COLUMN_TEXT},
                                               {0}};
    report_table_for_programs(builder->report, "messages", columns);
    for (int errors = 1; errors >= 0; --errors) /* the first error first */
        for (guint i = 0; i < heard->messages->len; ++i) {
            const struct message *message = &g_array_index(heard->messages, struct message, i);
            if ((message->severity == SEVERITY_ERROR) == errors)
                add_row(builder->report, message);
        }
}

/* The first action of that fate, or the plan's count. */
static size_t first_failed(const struct builder *builder) {
    size_t i = 0;
    while (i < builder->plan.count && builder->turns[i].state != TURN_FAILED)
        ++i;
    return i;
}

/* The first error, with its place. */
static char *first_error(const struct heard *heard) {
    for (guint i = 0; i < heard->messages->len; ++i) {
        const struct message *message = &g_array_index(heard->messages, struct message, i);
        if (message->severity == SEVERITY_ERROR && message->line)
            return g_strdup_printf("correct %s:%u:%u: %s", message->file, message->line, message->column,
                                   message->text);
    }
    return NULL;
}

static void report_failure(struct builder *builder, size_t index, const struct heard *heard, const char *counts) {
    const struct action *action = &builder->plan.actions[index];
    const char *said = builder->turns[index].messages ? builder->turns[index].messages : "";
    if (action->work != WORK_COMMAND || builder->status)
        return; /* which says it by itself */
    if (action->kind == ACTION_LINK && strstr(said, "overflowed by")) {
        builder_explain_overflow(builder, action);
        return;
    }
    if (ta_report_count(builder->report, TA_LEVEL_PROBLEM) && !*said)
        return; /* its end was reported */
    g_autofree char *advice = builder_missing(builder, said);
    g_autofree char *error = first_error(heard);
    if (action->kind == ACTION_LINK)
        report_add(builder->report, TA_LEVEL_PROBLEM, "link", advice ? advice : "see the linker's messages above",
                   "the image cannot be linked");
    else
        report_add(builder->report, TA_LEVEL_PROBLEM, action_kind_words[action->kind],
                   advice  ? advice
                   : error ? error
                           : "see the compiler's messages above",
                   "%s", *counts ? counts : action->name);
}

void builder_report_messages(struct builder *builder) {
    struct heard heard = {.counts = g_array_new(FALSE, FALSE, sizeof(struct count)),
                          .messages = g_array_new(FALSE, FALSE, sizeof(struct message))};
    const struct built *built = builder->built;
    size_t failed = first_failed(builder);
    for (size_t i = 0; i < builder->plan.count; ++i) {
        const struct turn *turn = &builder->turns[i];
        if (!turn->messages || turn->state == TURN_SKIPPED)
            continue;
        hear(builder, turn->messages, &heard);
        if ((turn->state == TURN_CURRENT || turn->cached) && builder->shows_all)
            show(builder, turn->messages);
    }
    g_autofree char *counts = counts_text(heard.counts);
    enum ta_level level = heard.warnings ? TA_LEVEL_WARNING : TA_LEVEL_OK;
    g_autoptr(GString) what = g_string_new(NULL);
    if (built->compiled)
        g_string_append_printf(what, "%u of %zu files", built->compiled, builder->plan.sources);
    if (built->cached)
        g_string_append_printf(what, "%s%u from the cache%s", what->len ? ", " : "", built->cached,
                               what->len ? "" : " of objects");
    if (!what->len)
        g_string_append_printf(what, "up to date, %zu files", builder->plan.sources);
    if (failed < builder->plan.count)
        report_failure(builder, failed, &heard, counts);
    else
        report_add(builder->report, level, "compile", NULL, "%s%s%s", what->str, *counts ? "; " : "", counts);
    if (heard.messages->len)
        report_rows(builder, &heard);
    report_number(builder->report, "compiled", built->compiled);
    report_number(builder->report, "cached", built->cached);
    report_number(builder->report, "errors", heard.errors);
    report_number(builder->report, "warnings", heard.warnings);
    g_array_unref(heard.counts);
    g_array_unref(heard.messages);
}
