/* What a parsed trial consists of. */
#ifndef TA_CORE_STATEMENTS_H
#define TA_CORE_STATEMENTS_H

#include "base/arena.h"
#include "tameanchor/trial.h"

enum statement_kind {
    STATEMENT_POWER_ON,
    STATEMENT_POWER_OFF,
    STATEMENT_RESET,
    STATEMENT_PRESS,
    STATEMENT_HOLD,
    STATEMENT_RELEASE,
    STATEMENT_TYPE,
    STATEMENT_WAIT,
    STATEMENT_CONSOLE_SAYS,
    STATEMENT_CONSOLE_MATCHES,
    STATEMENT_SHOWS,
    STATEMENT_ENDS,
    STATEMENT_NO_TRAP,
};

/* One line. TIME_NS: how long to press or wait, or the deadline. LEVELS: what an output shows, one after another. With
   EVERY_NS, each comes that long after the one before, TOLERANCE_NS more or less. CODE: the exit code, -1 for any. */
struct statement {
    enum statement_kind kind;
    unsigned line, column;
    const char *source;
    uint64_t time_ns;
    const char *name;
    const char *text;
    size_t text_length;
    void *pattern;
    const uint64_t *levels;
    size_t level_count;
    unsigned width;
    uint64_t every_ns, tolerance_ns;
    int code;
};

struct trial {
    const char *name;
    unsigned line;
    struct statement *statements;
    size_t count;
};

struct ta_trials {
    struct arena *arena;
    const struct ta_patterns *patterns;
    const char *file;
    struct trial *trials;
    size_t count;
};

static inline bool statement_expects(const struct statement *statement) {
    return statement->kind >= STATEMENT_CONSOLE_SAYS;
}

/* "00000111": a level as trials write it, the highest lamp first. BUFFER holds 65 bytes. Returns BUFFER. */
const char *level_text(uint64_t level, unsigned width, char buffer[65]);

#endif
