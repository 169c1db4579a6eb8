/* The trial language: from text to trials. A line is cut into tokens, and the table of statements reads it. */
#include "core/trial/statements.h"

#include <string.h>

struct parser {
    struct ta_trials *trials;
    struct line line;
    size_t trial_room, statement_room;
    bool powered;
    struct parsing parsing;
};

static const char header_allowed[] = "allowed here: trial \"its name\"";

/* A trial that expects nothing could not fail. */
static enum ta_status end_trial(struct parser *parser) {
    struct ta_trials *trials = parser->trials;
    if (!trials->count || ta_trial_expectations(trials, trials->count - 1))
        return TA_OK;
    const struct trial *trial = &trials->trials[trials->count - 1];
    ta_problem_set(parser->line.why, TA_E_SYNTAX, "add a line such as: within 1 s console says \"ready\"",
                   "the trial \"%s\" expects nothing", trial->name);
    ta_problem_at(parser->line.why, parser->line.file, trial->line, 1);
    return TA_E_SYNTAX;
}

static enum ta_status parse_header(struct parser *parser) {
    struct ta_trials *trials = parser->trials;
    struct line *line = &parser->line;
    const struct token *token = line_peek(line);
    struct trial trial = {.line = line->number};
    size_t length = 0;
    enum ta_status status = end_trial(parser);
    if (!status)
        status = line_text(line, false, &trial.name, &length);
    if (status)
        return status;
    if (!length)
        return line_refuse(line, token, "allowed here: a name that is not empty");
    for (size_t i = 0; i < trials->count; ++i)
        if (!strcmp(trials->trials[i].name, trial.name))
            return line_refuse(line, token, "two trials of one file cannot have one name");
    struct trial *grown =
        arena_grow(trials->arena, trials->trials, trials->count, &parser->trial_room, sizeof *trials->trials);
    if (!grown)
        return line_no_memory(line);
    trials->trials = grown;
    trials->trials[trials->count++] = trial;
    parser->statement_room = 0;
    parser->powered = false;
    return TA_OK;
}

static enum ta_status parse_statement(struct parser *parser) {
    struct ta_trials *trials = parser->trials;
    if (!trials->count)
        return line_refuse(&parser->line, line_peek(&parser->line), header_allowed);
    struct trial *trial = &trials->trials[trials->count - 1];
    struct statement *grown =
        arena_grow(trials->arena, trial->statements, trial->count, &parser->statement_room, sizeof *trial->statements);
    if (!grown)
        return line_no_memory(&parser->line);
    trial->statements = grown;
    struct statement *statement = &trial->statements[trial->count++];
    enum ta_status status = statement_read(&parser->line, parser->powered, &parser->parsing, statement);
    bool on;
    for (size_t i = 0; !status && statement->instants && i + 1 < trial->count; ++i)
        if (trial->statements[i].instants)
            return line_refuse(&parser->line, &parser->line.tokens[0], "once in a trial");
    if (!status && statement_powers(statement, &on))
        parser->powered = on;
    return status;
}

static enum ta_status parse_line(struct parser *parser) {
    struct line *line = &parser->line;
    enum ta_status status = line_cut(line);
    if (status || line_peek(line)->kind == TOKEN_END)
        return status;
    status = line_accept(line, "trial") ? parse_header(parser) : parse_statement(parser);
    if (!status && line_peek(line)->kind != TOKEN_END)
        status = line_refuse(line, line_peek(line), "allowed here: the end of the line");
    return status;
}

enum ta_status ta_trials_parse(const char *text, size_t length, const char *file, const struct ta_patterns *patterns,
                               const struct ta_attachments *attachments, struct ta_trials **result,
                               struct ta_problem *why) {
    struct arena *arena = arena_new();
    struct ta_trials *trials = arena ? arena_alloc(arena, sizeof *trials) : NULL;
    const char *kept = trials ? arena_text(arena, file) : NULL;
    enum ta_status status = TA_OK;
    *result = NULL;
    if (!kept) {
        arena_free(arena);
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    }
    *trials = (struct ta_trials){.arena = arena, .patterns = patterns, .file = kept};
    struct parser parser = {
        .trials = trials, .line = {.arena = arena, .file = kept, .why = why}, .parsing = {patterns, attachments}};
    struct ta_problem unheard;
    parser.line.why = why = why ? why : &unheard;
    *why = (struct ta_problem){0};
    if (!text_is_utf8(text, length) || memchr(text, 0, length)) {
        status = ta_problem_set(why, TA_E_SYNTAX, "save it as UTF-8", "it is not UTF-8 text");
        ta_problem_at(why, file, 0, 0);
    }
    for (size_t at = 0; !status && at < length;) {
        const char *end = memchr(text + at, '\n', length - at);
        parser.line.text = text + at;
        parser.line.length = end ? (size_t)(end - parser.line.text) : length - at;
        ++parser.line.number;
        status = parse_line(&parser);
        at += parser.line.length + 1;
    }
    if (!status)
        status = end_trial(&parser);
    if (!status && !trials->count) {
        status = ta_problem_set(why, TA_E_SYNTAX, "write one, or remove the file; docs/trials.md shows how",
                                "the file holds no trial");
        ta_problem_at(why, file, 0, 0);
    }
    if (status)
        ta_trials_free(trials);
    else
        *result = trials;
    return status;
}

void ta_trials_free(struct ta_trials *trials) {
    if (!trials)
        return;
    for (size_t i = 0; i < trials->count; ++i)
        for (size_t k = 0; k < trials->trials[i].count; ++k)
            if (trials->trials[i].statements[k].pattern)
                trials->patterns->free(trials->trials[i].statements[k].pattern);
    arena_free(trials->arena);
}

size_t ta_trials_count(const struct ta_trials *trials) {
    return trials->count;
}

const char *ta_trial_name(const struct ta_trials *trials, size_t index) {
    return trials->trials[index].name;
}

unsigned ta_trial_line(const struct ta_trials *trials, size_t index) {
    return trials->trials[index].line;
}

unsigned ta_trial_expectations(const struct ta_trials *trials, size_t index) {
    unsigned count = 0;
    for (size_t i = 0; i < trials->trials[index].count; ++i)
        count += trials->trials[index].statements[i].row->holds != NULL;
    return count;
}

enum ta_status ta_trial_check(const struct ta_trials *trials, size_t index, const struct ta_profile *profile,
                              struct ta_problem *why) {
    enum ta_status status = TA_OK;
    struct ta_problem found = {0};
    const struct trial *trial = &trials->trials[index];
    for (size_t i = 0; !status && i < trial->count; ++i) {
        const struct statement *statement = &trial->statements[i];
        status = statement->row->check ? statement->row->check(statement, profile, &found) : TA_OK;
        if (status && !*found.file) /* else it is in a file that the statement names */
            ta_problem_at(&found, trials->file, statement->line, statement->column);
    }
    if (status)
        ta_problem_copy(why, &found);
    return status;
}
