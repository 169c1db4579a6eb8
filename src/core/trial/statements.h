/* The statements of the trial language, each one row of a table: how it is written, what it needs, what it does or expects. */
#ifndef TA_CORE_TRIAL_STATEMENTS_H
#define TA_CORE_TRIAL_STATEMENTS_H

#include "core/live/feed.h"
#include "core/trial/recorder.h"
#include "core/trial/tokens.h"

/* What the caller brings along. */
struct parsing {
    const struct ta_patterns *patterns;
    const struct ta_attachments *attachments;
};

/* One line. TIME_NS: how long to press or wait, or the deadline. LEVELS: what an output shows, one after another. With
   EVERY_NS, each comes that long after the one before, TOLERANCE_NS more or less. CODE: the exit code, -1 for any. */
struct statement {
    const struct statement_row *row;
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
    unsigned instants;   /* how often the trial is run, each time to cut the power at another instant of TIME_NS */
    uint64_t point, end; /* where a finger is put, and where it is drawn to */
    const struct ta_picture
        *picture; /* what a screen is to look like, but for ALLOWED thousandths of a percent of its points */
    uint64_t allowed_milli;
    const char *position; /* of a switch */
    const char *bytes;    /* that the card which it puts in holds, BYTE_COUNT of them; null: what it held before */
    size_t byte_count;
    const struct feed *feed; /* what a sensor goes through */
    int turns;               /* of the device: quarters to the right */
    const char *value;       /* what a sensor is set to, as it is written */
    int code;
};

/* WORDS begin it; WITHIN says that "within TIME" stands before them, or with AT_ONCE may, NAMED that the name of an output does. PARSE (may be null)
   reads the rest of the line. LOOKS_ANEW: expectations behind it look at what comes then. BY_TRIALS: nobody else does it. CHECK (may be null) holds it against the board. NEEDS are capabilities of the port. A stimulus
   has ACT, an expectation HOLDS, which tells whether what was recorded is what is expected (LAST_CALL: nothing more will come),
   and DESCRIBE, which says what was there instead (text of the arena). */
struct statement_row {
    const char *words;
    bool within, at_once, named, needs_power, looks_anew, by_trials;
    uint32_t needs;
    const char *position; /* that the switch goes to */
    bool takes_file;      /* what is put in may be named */
    enum ta_status (*parse)(struct line *line, struct statement *statement, const struct parsing *parsing);
    enum ta_status (*check)(const struct statement *statement, const struct ta_profile *profile,
                            struct ta_problem *why);
    enum ta_status (*act)(struct ta_live *live, const struct statement *statement, struct ta_problem *why);
    bool (*holds)(struct recorder *recorder, const struct statement *statement, bool last_call);
    const char *(*describe)(const struct recorder *recorder, const struct statement *statement);
};

/* Reads a statement from LINE, whose first token is not its end; POWERED tells whether the target has power there. */
enum ta_status statement_read(struct line *line, bool powered, const struct parsing *parsing,
                              struct statement *statement);

/* Whether LINE begins like a statement that somebody can do by hand, too. */
bool statement_begins(const struct line *line);

/* Whether the statement switches the power, and how; whether it cuts it. */
bool statement_powers(const struct statement *statement, bool *on);
bool statement_cuts(const struct statement *statement);

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

#endif
