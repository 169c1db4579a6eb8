/* Running other programs, several at a time. */
#ifndef TA_HOST_COMMANDS_H
#define TA_HOST_COMMANDS_H

#include "host/confine.h"
#include "tameanchor/status.h"

#include <stdbool.h>
#include <stddef.h>

/* One command. ARGUMENTS ends with null; its first is a path or a name on PATH. FOLDER is where it runs (null: here).
   TIME_LIMIT_S 0 means none. It gets PATH and LC_ALL=C.UTF-8, with TEMPORARY (null: none) as TMPDIR, and nothing else of the
   user's environment but with INHERITS, plus the "NAME=VALUE" texts of MORE (may be null, ends with null). CONFINED (null: not)
   is what it may read and write, where the kernel can see to that. It has no terminal, and ends when this process does. One
   without ARGUMENTS is passed over. The lower half is filled by commands_run: OUTPUT and ERRORS (what it printed, with a zero
   behind) are freed by commands_clear. */
struct command {
    const char *const *arguments;
    const char *folder, *temporary;
    unsigned time_limit_s;
    bool inherits;
    const char *const *more;
    const struct confinement *confined;

    bool ran;       /* false: it could not be started */
    bool timed_out; /* ended by us at its time limit */
    int exit_code;  /* 128 + the signal when one ended it */
    char *output, *errors;
    double seconds;
};

/* Runs COUNT commands, at most JOBS at once, to the end of all. When one fails and STOP_AT_FAILURE is set, no further
   ones are started. DONE (may be null) is told of each as it ends. TA_E_INTERRUPTED when CANCELLED (may be null) said
   true: all that still ran were ended. A command that fails is no error here. */
enum ta_status commands_run(struct command *commands, size_t count, unsigned jobs, bool stop_at_failure,
                            bool (*cancelled)(void *), void *cancelled_with,
                            void (*done)(const struct command *command, void *with), void *done_with,
                            struct ta_problem *why);
void commands_clear(struct command *commands, size_t count);

#endif
