/* What a step of the chain found: findings for people, facts for programs, verdicts, and what to do next. */
#ifndef TAMEANCHOR_REPORT_H
#define TAMEANCHOR_REPORT_H

#include "tameanchor/trial.h"

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

/* One line of a check. FIX is null when there is nothing to do; it can be pasted into a shell where it is a command. */
struct ta_finding {
    enum ta_level level;
    const char *subject, *message, *fix;
};

/* A named value: TEXT, or NUMBER when TEXT is null. */
struct ta_fact {
    const char *name, *text;
    int64_t number;
};

/* All memory is the report's. TITLE and NEXT may be null. */
struct ta_report {
    const char *title, *next;
    const struct ta_finding *findings;
    size_t finding_count;
    const struct ta_fact *facts;
    size_t fact_count;
    const struct ta_verdict *verdicts;
    size_t verdict_count;
    double seconds; /* how long the step took, by the host's clock */
};

struct ta_report *ta_report_new(void);
void ta_report_free(struct ta_report *report);

/* How many findings have LEVEL; the value of a fact, or null. */
size_t ta_report_count(const struct ta_report *report, enum ta_level level);
const struct ta_fact *ta_report_fact(const struct ta_report *report, const char *name);

#ifdef __cplusplus
}
#endif
#endif
