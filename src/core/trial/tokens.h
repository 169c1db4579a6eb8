/* A line of a trial, cut into tokens, and what statements read of it: times, names, texts, rows of lamps. */
#ifndef TA_CORE_TRIAL_TOKENS_H
#define TA_CORE_TRIAL_TOKENS_H

#include "base/arena.h"
#include "tameanchor/status.h"

#include <stdbool.h>
#include <stdint.h>

enum token_kind { TOKEN_END, TOKEN_WORD, TOKEN_TEXT, TOKEN_COMMA };

struct token {
    enum token_kind kind;
    const char *at; /* of a text: behind its opening quote */
    size_t length;
    unsigned column;
};

enum { TOKENS = 160 };

/* One line. What is kept of it is ARENA's; problems name FILE and NUMBER. */
struct line {
    struct arena *arena;
    const char *file, *text;
    size_t length;
    unsigned number;
    struct token tokens[TOKENS];
    size_t next;
    struct ta_problem *why;
};

/* Cuts TEXT and LENGTH into tokens. */
enum ta_status line_cut(struct line *line);

static inline const struct token *line_peek(const struct line *line) {
    return &line->tokens[line->next];
}
bool token_is(const struct token *token, const char *word);

/* Takes the next token when it is WORD; refuses it when it is not. */
bool line_accept(struct line *line, const char *word);
enum ta_status line_expect(struct line *line, const char *word, const char *allowed);

/* TA_E_SYNTAX at TOKEN; ALLOWED says what may stand there. */
enum ta_status line_refuse(struct line *line, const struct token *token, const char *allowed);
enum ta_status line_no_memory(struct line *line);

/* "500 ms" or "500ms"; words up to STOP (may be null) joined by single blanks; a text in quotes (in a PATTERN, a backslash
   before anything but a quote is the pattern's own); a row of lamps, as long as *WIDTH unless that is 0; a whole number. */
enum ta_status line_time(struct line *line, uint64_t *time_ns);
enum ta_status line_name(struct line *line, const char *stop, const char *allowed, const char **name);
enum ta_status line_text(struct line *line, bool pattern, const char **text, size_t *length);
enum ta_status line_level(struct line *line, uint64_t *level, unsigned *width);
enum ta_status line_number(struct line *line, uint64_t most, const char *allowed, uint64_t *number);

/* "120,80"; a part of a hundred, "2 %" or "0.5%", in thousandths of a percent. */
enum ta_status line_point(struct line *line, uint64_t *point);
enum ta_status line_percent(struct line *line, uint64_t *milli);

/* The line from token FIRST on, without blanks at its end; null without memory. */
const char *line_rest(const struct line *line, const struct token *first);

#endif
