#include "core/trial/tokens.h"

#include "base/text.h"
#include "base/units.h"
#include "tameanchor/profile.h"

#include <stdio.h>
#include <string.h>

enum ta_status line_refuse(struct line *line, const struct token *token, const char *allowed) {
    enum ta_status status;
    if (token->kind == TOKEN_END)
        status = ta_problem_set(line->why, TA_E_SYNTAX, allowed, "the line ends too early");
    else
        status = ta_problem_set(line->why, TA_E_SYNTAX, allowed, "\"%.*s\" is not allowed here",
                                (int)(token->length < 60 ? token->length : 60), token->at);
    ta_problem_at(line->why, line->file, line->number, token->column);
    return status;
}

enum ta_status line_no_memory(struct line *line) {
    return ta_problem_set(line->why, TA_E_MEMORY, NULL, "out of memory");
}

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

enum ta_status line_cut(struct line *line) {
    size_t at = 0, count = 0, length = line->length;
    for (;;) {
        while (at < length && is_blank(line->text[at]))
            ++at;
        struct token *token = &line->tokens[count];
        *token = (struct token){.at = line->text + at, .column = (unsigned)at + 1};
        if (at == length || line->text[at] == '#')
            break;
        if (++count == TOKENS)
            return line_refuse(line, token, "a shorter line");
        if (line->text[at] == ',') {
            token->kind = TOKEN_COMMA;
            token->length = 1;
            ++at;
        } else if (line->text[at] == '"') {
            token->length = text_length(++token->at, length - at - 1);
            if (token->length == SIZE_MAX) {
                *token = (struct token){.kind = TOKEN_END, .column = (unsigned)at + 1};
                return line_refuse(line, token, "the text that starts here needs a closing \"");
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
    line->next = 0;
    return TA_OK;
}

/* True when the token consists of these LETTERS alone. */
static bool token_of(const struct token *token, const char *letters) {
    for (size_t i = 0; i < token->length; ++i)
        if (!strchr(letters, token->at[i]))
            return false;
    return token->length > 0;
}

bool token_is(const struct token *token, const char *word) {
    return token->kind == TOKEN_WORD && strlen(word) == token->length && !memcmp(word, token->at, token->length);
}

bool line_accept(struct line *line, const char *word) {
    bool found = token_is(line_peek(line), word);
    line->next += found;
    return found;
}

enum ta_status line_expect(struct line *line, const char *word, const char *allowed) {
    return line_accept(line, word) ? TA_OK : line_refuse(line, line_peek(line), allowed);
}

enum ta_status line_time(struct line *line, uint64_t *time_ns) {
    const struct token *token = line_peek(line), *unit = token + 1;
    const char *allowed = "allowed here: a time, for example 500 ms or 4 s";
    char text[64];
    if (token->kind != TOKEN_WORD || token->length > 30)
        return line_refuse(line, token, allowed);
    bool apart = token_of(token, "0123456789.") && unit->kind == TOKEN_WORD && unit->length < 30;
    int length =
        snprintf(text, sizeof text, "%.*s%.*s", (int)token->length, token->at, apart ? (int)unit->length : 0, unit->at);
    if (!unit_parse(text, (size_t)length, UNIT_TIME_NS, time_ns) || *time_ns > UINT64_C(86400000000000))
        return line_refuse(line, token, allowed);
    line->next += apart ? 2 : 1;
    return TA_OK;
}

enum ta_status line_name(struct line *line, const char *stop, const char *allowed, const char **name) {
    struct text joined = {0};
    while (line_peek(line)->kind == TOKEN_WORD && !(stop && token_is(line_peek(line), stop))) {
        const struct token *token = line_peek(line);
        text_printf(&joined, "%s%.*s", joined.length ? " " : "", (int)token->length, token->at);
        ++line->next;
    }
    *name = joined.length ? arena_text(line->arena, joined.bytes) : NULL;
    bool lost = joined.failed || (joined.length && !*name);
    text_free(&joined);
    if (lost)
        return line_no_memory(line);
    return *name ? TA_OK : line_refuse(line, line_peek(line), allowed);
}

enum ta_status line_text(struct line *line, bool pattern, const char **text, size_t *length) {
    static const char letters[] = "nt\\\"", meanings[] = "\n\t\\\"";
    const struct token *token = line_peek(line);
    if (token->kind != TOKEN_TEXT)
        return line_refuse(line, token, "allowed here: a text in quotes");
    char *copy = arena_text_part(line->arena, token->at, token->length);
    if (!copy)
        return line_no_memory(line);
    size_t to = 0;
    for (size_t from = 0; from < token->length; ++from) {
        char letter = token->at[from];
        if (letter == '\\' && (!pattern || token->at[from + 1] == '"')) {
            const char *known = strchr(letters, token->at[++from]);
            if (!known) {
                struct token here = {TOKEN_WORD, token->at + from - 1, 2, token->column + 1 + (unsigned)from - 1};
                return line_refuse(line, &here, "allowed after a backslash: n, t, \\ and \"");
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
    ++line->next;
    return TA_OK;
}

enum ta_status line_level(struct line *line, uint64_t *level, unsigned *width) {
    const struct token *token = line_peek(line);
    size_t length = token->kind == TOKEN_WORD ? token->length : 0;
    if (!length || length > 64 || !token_of(token, "01"))
        return line_refuse(line, token, "allowed here: a row of lamps as 0 and 1, for example 00000111");
    if (*width && *width != length)
        return line_refuse(line, token, "allowed here: a row as long as the first");
    *width = (unsigned)length;
    *level = 0;
    for (size_t i = 0; i < length; ++i)
        *level = *level << 1 | (token->at[i] == '1');
    ++line->next;
    return TA_OK;
}

enum ta_status line_number(struct line *line, uint64_t most, const char *allowed, uint64_t *number) {
    const struct token *token = line_peek(line);
    if (token->kind != TOKEN_WORD || !unit_parse(token->at, token->length, UNIT_NONE, number) || *number > most)
        return line_refuse(line, token, allowed);
    ++line->next;
    return TA_OK;
}

enum ta_status line_point(struct line *line, uint64_t *point) {
    static const char allowed[] = "allowed here: column and row of a point, for example 120,80";
    uint64_t x = 0, y = 0;
    enum ta_status status = line_number(line, UINT16_MAX, allowed, &x);
    if (!status && line_peek(line)->kind != TOKEN_COMMA)
        return line_refuse(line, line_peek(line), allowed);
    line->next += !status;
    status = status ? status : line_number(line, UINT16_MAX, allowed, &y);
    *point = TA_TOUCH(x, y);
    return status;
}

enum ta_status line_percent(struct line *line, uint64_t *milli) {
    static const struct ta_quantity share = {"share", "%", 0, 100000, 0};
    static const char allowed[] = "allowed here: a share, 0 % to 100 %";
    const struct token *token = line_peek(line);
    const char *text;
    int64_t value = 0;
    enum ta_status status = line_name(line, NULL, allowed, &text);
    if (status)
        return status;
    if (!strchr(text, '%') || !ta_quantity_parse(&share, text, strlen(text), &value) || value < 0 ||
        value > share.maximum)
        return line_refuse(line, token, allowed);
    *milli = (uint64_t)value;
    return TA_OK;
}

const char *line_rest(const struct line *line, const struct token *first) {
    const char *at = line->text + first->column - 1; /* a text's own letters begin behind its quote */
    size_t length = line->length - (first->column - 1);
    while (length && is_blank(at[length - 1]))
        --length;
    return arena_text_part(line->arena, at, length);
}
