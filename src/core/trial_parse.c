/* The trial language: from text to statements. A line is cut into tokens, and each statement reads its own. */
#include "base/text.h"
#include "base/units.h"
#include "core/statements.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum token_kind { TOKEN_END, TOKEN_WORD, TOKEN_TEXT, TOKEN_COMMA };

struct token {
    enum token_kind kind;
    const char *at; /* of a text: behind its opening quote */
    size_t length;
    unsigned column;
};

enum { TOKENS = 160, LEVELS = 64 };

struct parser {
    struct ta_trials *trials;
    struct ta_problem *why;
    const char *line;
    size_t line_length;
    unsigned line_number;
    struct token tokens[TOKENS];
    size_t next;
    size_t trial_room, statement_room;
    bool powered;
};

#define PRESS_DEFAULT_NS 50000000u

static enum ta_status syntax(struct parser *parser, const struct token *token, const char *allowed) {
    enum ta_status status;
    if (token->kind == TOKEN_END)
        status = ta_problem_set(parser->why, TA_E_SYNTAX, allowed, "the line ends too early");
    else
        status = ta_problem_set(parser->why, TA_E_SYNTAX, allowed, "\"%.*s\" is not allowed here",
                                (int)(token->length < 60 ? token->length : 60), token->at);
    ta_problem_at(parser->why, parser->trials->file, parser->line_number, token->column);
    return status;
}

static enum ta_status no_memory(struct parser *parser) {
    return ta_problem_set(parser->why, TA_E_MEMORY, NULL, "out of memory");
}

/* Tokens. */

static bool is_blank(char letter) {
    return letter == ' ' || letter == '\t' || letter == '\r';
}

/* A text ends at the next quote that no backslash stands before. Gives its length, or SIZE_MAX. */
static size_t text_length(const char *at, size_t room) {
    for (size_t i = 0; i < room; ++i) {
        if (at[i] == '"')
            return i;
        if (at[i] == '\\')
            ++i;
    }
    return SIZE_MAX;
}

static enum ta_status tokenize(struct parser *parser) {
    size_t at = 0, count = 0, length = parser->line_length;
    for (;;) {
        while (at < length && is_blank(parser->line[at]))
            ++at;
        struct token *token = &parser->tokens[count];
        *token = (struct token){.at = parser->line + at, .column = (unsigned)at + 1};
        if (at == length || parser->line[at] == '#')
            break;
        if (++count == TOKENS)
            return syntax(parser, token, "a shorter line");
        if (parser->line[at] == ',') {
            token->kind = TOKEN_COMMA;
            token->length = 1;
            ++at;
        } else if (parser->line[at] == '"') {
            token->length = text_length(++token->at, length - at - 1);
            if (token->length == SIZE_MAX) {
                *token = (struct token){.kind = TOKEN_END, .column = (unsigned)at + 1};
                return syntax(parser, token, "the text that starts here needs a closing \"");
            }
            token->kind = TOKEN_TEXT;
            at += token->length + 2;
        } else {
            token->kind = TOKEN_WORD;
            while (at + token->length < length && !is_blank(token->at[token->length]) &&
                   !strchr(",\"#", token->at[token->length]))
                ++token->length;
            at += token->length;
        }
    }
    parser->next = 0;
    return TA_OK;
}

static struct token *peek(struct parser *parser) {
    return &parser->tokens[parser->next];
}

/* True when the token consists of these LETTERS alone. */
static bool token_of(const struct token *token, const char *letters) {
    for (size_t i = 0; i < token->length; ++i)
        if (!strchr(letters, token->at[i]))
            return false;
    return token->length > 0;
}

static bool token_is(const struct token *token, const char *word) {
    return token->kind == TOKEN_WORD && strlen(word) == token->length && !memcmp(word, token->at, token->length);
}

static bool accept(struct parser *parser, const char *word) {
    bool found = token_is(peek(parser), word);
    parser->next += found;
    return found;
}

static enum ta_status expect(struct parser *parser, const char *word, const char *allowed) {
    return accept(parser, word) ? TA_OK : syntax(parser, peek(parser), allowed);
}

/* What statements are made of. */

/* "500 ms" or "500ms". */
static enum ta_status read_time(struct parser *parser, uint64_t *time_ns) {
    struct token *token = peek(parser), *unit = token + 1;
    const char *allowed = "allowed here: a time, for example 500 ms or 4 s";
    char text[64];
    if (token->kind != TOKEN_WORD || token->length > 30)
        return syntax(parser, token, allowed);
    bool apart = token_of(token, "0123456789.") && unit->kind == TOKEN_WORD && unit->length < 30;
    int length =
        snprintf(text, sizeof text, "%.*s%.*s", (int)token->length, token->at, apart ? (int)unit->length : 0, unit->at);
    if (!unit_parse(text, (size_t)length, UNIT_TIME_NS, time_ns) || *time_ns > UINT64_C(86400000000000))
        return syntax(parser, token, allowed);
    parser->next += apart ? 2 : 1;
    return TA_OK;
}

/* Words up to STOP or the line's end, joined by single blanks. */
static enum ta_status read_name(struct parser *parser, const char *stop, const char *allowed, const char **name) {
    struct text joined = {0};
    while (peek(parser)->kind == TOKEN_WORD && !(stop && token_is(peek(parser), stop))) {
        const struct token *token = peek(parser);
        text_printf(&joined, "%s%.*s", joined.length ? " " : "", (int)token->length, token->at);
        ++parser->next;
    }
    *name = joined.length ? arena_text(parser->trials->arena, joined.bytes) : NULL;
    bool lost = joined.failed || (joined.length && !*name);
    text_free(&joined);
    if (lost)
        return no_memory(parser);
    return *name ? TA_OK : syntax(parser, peek(parser), allowed);
}

/* A text in quotes. In a PATTERN, a backslash before anything but a quote is the pattern's own. */
static enum ta_status read_text(struct parser *parser, bool pattern, const char **text, size_t *length) {
    static const char letters[] = "nt\\\"", meanings[] = "\n\t\\\"";
    const struct token *token = peek(parser);
    if (token->kind != TOKEN_TEXT)
        return syntax(parser, token, "allowed here: a text in quotes");
    char *copy = arena_text_part(parser->trials->arena, token->at, token->length);
    if (!copy)
        return no_memory(parser);
    size_t to = 0;
    for (size_t from = 0; from < token->length; ++from) {
        char letter = token->at[from];
        if (letter == '\\' && (!pattern || token->at[from + 1] == '"')) {
            const char *known = strchr(letters, token->at[++from]);
            if (!known) {
                struct token here = {TOKEN_WORD, token->at + from - 1, 2, token->column + 1 + (unsigned)from - 1};
                return syntax(parser, &here, "allowed after a backslash: n, t, \\ and \"");
            }
            letter = meanings[known - letters];
        } else if (letter == '\\') {
            copy[to++] = letter; /* and what it stands before, which may be another backslash */
            letter = token->at[++from];
        }
        copy[to++] = letter;
    }
    copy[to] = '\0';
    *text = copy;
    *length = to;
    ++parser->next;
    return TA_OK;
}

static enum ta_status read_level(struct parser *parser, uint64_t *level, unsigned *width) {
    const struct token *token = peek(parser);
    size_t length = token->kind == TOKEN_WORD ? token->length : 0;
    if (!length || length > 64 || !token_of(token, "01"))
        return syntax(parser, token, "allowed here: a row of lamps as 0 and 1, for example 00000111");
    if (*width && *width != length)
        return syntax(parser, token, "allowed here: a row as long as the first");
    *width = (unsigned)length;
    *level = 0;
    for (size_t i = 0; i < length; ++i)
        *level = *level << 1 | (token->at[i] == '1');
    ++parser->next;
    return TA_OK;
}

/* Statements. Each reads what follows its first word. */

static enum ta_status parse_power(struct parser *parser, struct statement *statement) {
    statement->kind = accept(parser, "on") ? STATEMENT_POWER_ON : STATEMENT_POWER_OFF;
    parser->powered = statement->kind == STATEMENT_POWER_ON;
    return parser->powered ? TA_OK : expect(parser, "off", "allowed here: on, off");
}

static enum ta_status parse_reset(struct parser *parser, struct statement *statement) {
    (void)parser;
    statement->kind = STATEMENT_RESET;
    return TA_OK;
}

static const char *const input_allowed = "allowed here: the name of an input, for example button A";

static enum ta_status parse_press(struct parser *parser, struct statement *statement) {
    statement->kind = STATEMENT_PRESS;
    statement->time_ns = PRESS_DEFAULT_NS;
    enum ta_status status = read_name(parser, "for", input_allowed, &statement->name);
    if (!status && accept(parser, "for"))
        status = read_time(parser, &statement->time_ns);
    return status;
}

static enum ta_status parse_hold(struct parser *parser, struct statement *statement) {
    statement->kind = STATEMENT_HOLD;
    return read_name(parser, NULL, input_allowed, &statement->name);
}

static enum ta_status parse_release(struct parser *parser, struct statement *statement) {
    statement->kind = STATEMENT_RELEASE;
    return read_name(parser, NULL, input_allowed, &statement->name);
}

static enum ta_status parse_type(struct parser *parser, struct statement *statement) {
    statement->kind = STATEMENT_TYPE;
    return read_text(parser, false, &statement->text, &statement->text_length);
}

static enum ta_status parse_wait(struct parser *parser, struct statement *statement) {
    statement->kind = STATEMENT_WAIT;
    return read_time(parser, &statement->time_ns);
}

static enum ta_status parse_no(struct parser *parser, struct statement *statement) {
    statement->kind = STATEMENT_NO_TRAP;
    return expect(parser, "trap", "allowed here: trap");
}

static enum ta_status parse_console(struct parser *parser, struct statement *statement) {
    bool matches = accept(parser, "matches");
    if (!matches && !accept(parser, "says"))
        return syntax(parser, peek(parser), "allowed here: says, matches");
    const struct token *token = peek(parser);
    statement->kind = matches ? STATEMENT_CONSOLE_MATCHES : STATEMENT_CONSOLE_SAYS;
    enum ta_status status = read_text(parser, matches, &statement->text, &statement->text_length);
    if (status)
        return status;
    if (!statement->text_length)
        return syntax(parser, token, "allowed here: a text that is not empty");
    if (!matches)
        return TA_OK;
    if (!parser->trials->patterns)
        return syntax(parser, token, "this program has no patterns; use says");
    statement->pattern = parser->trials->patterns->compile(statement->text, parser->why);
    if (statement->pattern)
        return TA_OK;
    ta_problem_at(parser->why, parser->trials->file, parser->line_number, token->column);
    return TA_E_SYNTAX;
}

static enum ta_status parse_pace(struct parser *parser, struct statement *statement) {
    enum ta_status status = read_time(parser, &statement->every_ns);
    if (status || !accept(parser, "give"))
        return status;
    status = expect(parser, "or", "allowed here: or take");
    if (!status)
        status = expect(parser, "take", "allowed here: take");
    return status ? status : read_time(parser, &statement->tolerance_ns);
}

static enum ta_status parse_show(struct parser *parser, struct statement *statement) {
    uint64_t levels[LEVELS];
    enum ta_status status;
    statement->kind = STATEMENT_SHOWS;
    do {
        if (statement->level_count == LEVELS)
            return syntax(parser, peek(parser), "at most 64 rows");
        status = read_level(parser, &levels[statement->level_count++], &statement->width);
        if (status)
            return status;
    } while (peek(parser)->kind == TOKEN_COMMA && ++parser->next);
    uint64_t *kept = arena_alloc(parser->trials->arena, statement->level_count * sizeof *kept);
    if (!kept)
        return no_memory(parser);
    memcpy(kept, levels, statement->level_count * sizeof *kept);
    statement->levels = kept;
    if (statement->level_count == 1)
        return TA_OK;
    status = expect(parser, "in", "allowed here: a comma and the next row, or: in order");
    if (!status)
        status = expect(parser, "order", "allowed here: order");
    return !status && accept(parser, "every") ? parse_pace(parser, statement) : status;
}

static enum ta_status parse_ends(struct parser *parser, struct statement *statement) {
    const struct token *token;
    uint64_t code = 0;
    statement->kind = STATEMENT_ENDS;
    statement->code = -1;
    if (!accept(parser, "with"))
        return TA_OK;
    token = peek(parser);
    if (token->kind != TOKEN_WORD || !unit_parse(token->at, token->length, UNIT_NONE, &code) || code > 255)
        return syntax(parser, token, "allowed here: an exit code, 0 to 255");
    statement->code = (int)code;
    ++parser->next;
    return TA_OK;
}

static enum ta_status parse_within(struct parser *parser, struct statement *statement) {
    enum ta_status status = read_time(parser, &statement->time_ns);
    if (status)
        return status;
    if (token_is(peek(parser), "console") && ++parser->next)
        return parse_console(parser, statement);
    if (token_is(peek(parser), "program") && ++parser->next) {
        status = expect(parser, "ends", "allowed here: ends");
        return status ? status : parse_ends(parser, statement);
    }
    status = read_name(parser, "show", "allowed here: console, program, or the name of an output, for example lamps",
                       &statement->name);
    if (!status)
        status = expect(parser, "show", "allowed here: show");
    return status ? status : parse_show(parser, statement);
}

static const struct {
    const char *word;
    enum ta_status (*parse)(struct parser *parser, struct statement *statement);
    bool needs_power;
} statements[] = {
    {"power", parse_power, false},     {"reset", parse_reset, true},   {"press", parse_press, true},
    {"hold", parse_hold, false},       {"type", parse_type, true},     {"wait", parse_wait, true},
    {"release", parse_release, false}, {"within", parse_within, true}, {"no", parse_no, true},
};
static const char statement_words[] = "allowed here: power, reset, press, hold, release, type, wait, within, no trap";

/* Lists grow by doubling inside the arena; what they leave behind goes with it. */
static void *grow(struct arena *arena, void *items, size_t count, size_t *room, size_t size) {
    if (count < *room)
        return items;
    size_t wider = count ? count * 2 : 8;
    void *grown = arena_alloc(arena, wider * size);
    if (grown && count)
        memcpy(grown, items, count * size);
    *room = wider;
    return grown;
}

static enum ta_status parse_header(struct parser *parser) {
    struct ta_trials *trials = parser->trials;
    struct token *token = peek(parser);
    size_t length = 0;
    trials->trials = grow(trials->arena, trials->trials, trials->count, &parser->trial_room, sizeof *trials->trials);
    if (!trials->trials)
        return no_memory(parser);
    struct trial *trial = &trials->trials[trials->count];
    *trial = (struct trial){.line = parser->line_number};
    enum ta_status status = read_text(parser, false, &trial->name, &length);
    if (status)
        return status;
    if (!length)
        return syntax(parser, token, "allowed here: a name that is not empty");
    for (size_t i = 0; i < trials->count; ++i)
        if (!strcmp(trials->trials[i].name, trial->name))
            return syntax(parser, token, "two trials of one file cannot have one name");
    ++trials->count;
    parser->statement_room = 0;
    parser->powered = false;
    return TA_OK;
}

static enum ta_status parse_statement(struct parser *parser, size_t which) {
    struct ta_trials *trials = parser->trials;
    struct token *first = peek(parser);
    if (!trials->count)
        return syntax(parser, first, "allowed here: trial \"its name\"");
    if (statements[which].needs_power && !parser->powered)
        return syntax(parser, first, "the target is off here; write first: power on");
    struct trial *trial = &trials->trials[trials->count - 1];
    trial->statements =
        grow(trials->arena, trial->statements, trial->count, &parser->statement_room, sizeof *trial->statements);
    if (!trial->statements)
        return no_memory(parser);
    struct statement *statement = &trial->statements[trial->count++];
    *statement = (struct statement){.line = parser->line_number, .column = first->column};
    size_t length = parser->line_length - (first->column - 1);
    while (length && is_blank(first->at[length - 1]))
        --length;
    statement->source = arena_text_part(trials->arena, first->at, length);
    if (!statement->source)
        return no_memory(parser);
    ++parser->next;
    return statements[which].parse(parser, statement);
}

static enum ta_status parse_line(struct parser *parser) {
    enum ta_status status = tokenize(parser);
    size_t count = sizeof statements / sizeof *statements, which = 0;
    if (status || peek(parser)->kind == TOKEN_END)
        return status;
    if (accept(parser, "trial")) {
        status = parse_header(parser);
    } else {
        while (which < count && !token_is(peek(parser), statements[which].word))
            ++which;
        if (which == count)
            return syntax(parser, peek(parser),
                          parser->trials->count ? statement_words : "allowed here: trial \"its name\"");
        status = parse_statement(parser, which);
    }
    if (!status && peek(parser)->kind != TOKEN_END)
        status = syntax(parser, peek(parser), "allowed here: the end of the line");
    return status;
}

enum ta_status ta_trials_parse(const char *text, size_t length, const char *file, const struct ta_patterns *patterns,
                               struct ta_trials **result, struct ta_problem *why) {
    struct arena *arena = arena_new();
    struct ta_trials *trials = arena ? arena_alloc(arena, sizeof *trials) : NULL;
    enum ta_status status = TA_OK;
    *result = NULL;
    if (!trials) {
        arena_free(arena);
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    }
    *trials = (struct ta_trials){.arena = arena, .patterns = patterns, .file = arena_text(arena, file)};
    struct parser parser = {.trials = trials, .why = why};
    if (!text_is_utf8(text, length) || memchr(text, 0, length)) {
        status = ta_problem_set(why, TA_E_SYNTAX, "save it as UTF-8", "it is no UTF-8 text");
        ta_problem_at(why, file, 0, 0);
    }
    for (size_t at = 0; !status && at < length;) {
        const char *end = memchr(text + at, '\n', length - at);
        parser.line = text + at;
        parser.line_length = end ? (size_t)(end - parser.line) : length - at;
        ++parser.line_number;
        status = parse_line(&parser);
        at += parser.line_length + 1;
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
        count += statement_expects(&trials->trials[index].statements[i]);
    return count;
}

static enum ta_status check_name(const struct ta_trials *trials, const struct statement *statement,
                                 const struct ta_profile *profile, struct ta_problem *why) {
    bool output = statement->kind == STATEMENT_SHOWS;
    const struct ta_connector *connector = ta_profile_connector(profile, statement->name);
    struct text names = {0};
    enum ta_status status = TA_OK;
    if (!connector || (connector->kind == TA_CONNECTOR_LAMPS) != output || connector->kind == TA_CONNECTOR_CONSOLE) {
        for (size_t i = 0; i < profile->connector_count; ++i)
            if (profile->connectors[i].kind == (output ? TA_CONNECTOR_LAMPS : TA_CONNECTOR_BUTTON))
                text_printf(&names, "%s%s", names.length ? ", " : "it has: ", profile->connectors[i].name);
        status = ta_problem_set(why, TA_E_INPUT, names.length ? names.bytes : "choose another target",
                                "%s has no %s \"%s\"", profile->name, output ? "output" : "input", statement->name);
    } else if (output && connector->count != statement->width) {
        status = ta_problem_set(why, TA_E_INPUT, "write a 0 or 1 for each lamp", "%s has %u lamps, the row has %u",
                                connector->name, connector->count, statement->width);
    }
    text_free(&names);
    if (status)
        ta_problem_at(why, trials->file, statement->line, statement->column);
    return status;
}

enum ta_status ta_trial_check(const struct ta_trials *trials, size_t index, const struct ta_profile *profile,
                              struct ta_problem *why) {
    enum ta_status status = TA_OK;
    const struct trial *trial = &trials->trials[index];
    for (size_t i = 0; !status && i < trial->count; ++i)
        if (trial->statements[i].name)
            status = check_name(trials, &trial->statements[i], profile, why);
    return status;
}
