/* What a step found: findings of what was checked, tables of what is listed, facts for programs, recordings of trials, and what
   to do next. */
#ifndef TAMEANCHOR_REPORT_H
#define TAMEANCHOR_REPORT_H

#include "tameanchor/advice.h"
#include "tameanchor/recording.h"

#ifdef __cplusplus
extern "C" {
#endif

#define TA_LEVEL_TABLE(X)                                                                                              \
    X(TA_LEVEL_OK, "ok")                                                                                               \
    X(TA_LEVEL_NOTE, "note")                                                                                           \
    X(TA_LEVEL_WARNING, "warning")                                                                                     \
    X(TA_LEVEL_PROBLEM, "problem")

enum ta_level {
#define TA_LEVEL_ENUM(name, text) name,
    TA_LEVEL_TABLE(TA_LEVEL_ENUM)
#undef TA_LEVEL_ENUM
};
const char *ta_level_text(enum ta_level level);

/* One line of a check. FIX is advice (advice.h), null when there is nothing to do. */
struct ta_finding {
    enum ta_level level;
    const char *subject, *message, *fix;
};

/* A named value: TEXT, or NUMBER when TEXT is null. */
struct ta_fact {
    const char *name, *text;
    int64_t number;
};

/* A table of what is listed, with a cell for each of its columns in each row. A column's NAME is made of small letters and '_'.
   A TA_COLUMN_TEXT cell has TEXT, which may hold advice (advice.h); the others have NUMBER. A cell that has nothing to say is
   a null TEXT, or a NUMBER below 0. A RECORD has one row: all about one thing. What is FOR_PROGRAMS is told to people in another way. */
enum ta_column_kind { TA_COLUMN_TEXT, TA_COLUMN_NUMBER, TA_COLUMN_BYTES, TA_COLUMN_HERTZ, TA_COLUMN_YES_NO };

struct ta_column {
    const char *name;
    enum ta_column_kind kind;
};

struct ta_cell {
    const char *text;
    int64_t number;
};

struct ta_table {
    const char *name;
    bool is_record, for_programs;
    const struct ta_column *columns;
    size_t column_count;
    const struct ta_cell *cells; /* row by row */
    size_t row_count;
};

/* A report is of the call that was given it last: each call begins with an empty one. What it gives is its own, until the next call or until
   it is freed. */
struct ta_report;

struct ta_report *ta_report_new(void);
void ta_report_free(struct ta_report *report); /* may be null */

/* What the step was about, and advice what to do next; null when there is nothing to say. How long it took, in seconds of the
   host's clock. */
const char *ta_report_title(const struct ta_report *report);
const char *ta_report_next(const struct ta_report *report);
double ta_report_seconds(const struct ta_report *report);

/* How many there are, and the INDEX-th of them; null past the end. */
size_t ta_report_findings(const struct ta_report *report);
const struct ta_finding *ta_report_finding(const struct ta_report *report, size_t index);
size_t ta_report_tables(const struct ta_report *report);
const struct ta_table *ta_report_table(const struct ta_report *report, size_t index);
size_t ta_report_facts(const struct ta_report *report);
const struct ta_fact *ta_report_fact_at(const struct ta_report *report, size_t index);
size_t ta_report_recordings(const struct ta_report *report);
const struct ta_recording *ta_report_recording(const struct ta_report *report, size_t index);

/* How many findings have LEVEL; the fact of that name, or null. */
size_t ta_report_count(const struct ta_report *report, enum ta_level level);
const struct ta_fact *ta_report_fact(const struct ta_report *report, const char *name);

#ifdef __cplusplus
}
#endif
#endif
