/* How every call of Tame Anchor answers: a status, and a problem that says what is wrong, where, and what to do. */
#ifndef TAMEANCHOR_STATUS_H
#define TAMEANCHOR_STATUS_H

#ifdef __cplusplus
extern "C" {
#endif

/* Each status, the exit code that the tool gives for it, and what it means in a word. */
#define TA_STATUS_TABLE(X)                                                                                             \
    X(TA_OK, 0, "done")                                                                                                \
    X(TA_E_NO, 1, "the answer is no")                                                                                  \
    X(TA_E_INPUT, 1, "the input is refused")                                                                           \
    X(TA_E_SYNTAX, 1, "the text does not follow its grammar")                                                          \
    X(TA_E_UNSUPPORTED, 1, "this port or machine cannot do it")                                                        \
    X(TA_E_USAGE, 2, "wrong usage")                                                                                    \
    X(TA_E_SYSTEM, 3, "disk, network or a tool failed")                                                                \
    X(TA_E_PORT, 3, "the target cannot be reached")                                                                    \
    X(TA_E_MEMORY, 3, "out of memory")                                                                                 \
    X(TA_E_INTERRUPTED, 3, "interrupted")

enum ta_status {
#define TA_STATUS_ENUM(name, exit_code, text) name,
    TA_STATUS_TABLE(TA_STATUS_ENUM)
#undef TA_STATUS_ENUM
};

/* The text and the exit code of the table above. */
const char *ta_status_text(enum ta_status status);
int ta_status_exit_code(enum ta_status status);

/* One problem. FILE is empty when no file is concerned; LINE and COLUMN count from 1, 0 means unknown. The texts are
   cut to their arrays, never overrun. */
struct ta_problem {
    enum ta_status status;
    char file[256];
    unsigned line, column;
    char what[1024];
    char fix[512]; /* advice (advice.h); empty when there is none */
};

/* Fills WHY (which may be null) and returns STATUS, so that a function can end in one line. FIX may be null or empty.
   The place is left empty; ta_problem_at sets it. */
enum ta_status ta_problem_set(struct ta_problem *why, enum ta_status status, const char *fix, const char *format, ...)
#ifdef __GNUC__
    __attribute__((format(printf, 4, 5)))
#endif
    ;

/* Says where the problem in WHY (which may be null) is. */
void ta_problem_at(struct ta_problem *why, const char *file, unsigned line, unsigned column);

/* Copies FOUND to WHY (which may be null), and returns its status. */
enum ta_status ta_problem_copy(struct ta_problem *why, const struct ta_problem *found);

#ifdef __cplusplus
}
#endif
#endif
