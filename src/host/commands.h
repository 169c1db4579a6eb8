/* Running other programs, several at a time. */
#ifndef TA_HOST_COMMANDS_H
#define TA_HOST_COMMANDS_H

#include "host/confine.h"
#include "tameanchor/status.h"

#include <stdbool.h>
#include <stddef.h>

/* One command. ARGUMENTS ends with null; its first is a path or a name on PATH. FOLDER is where it runs (null: here).
   It may take TIME_LIMIT_S, and print nothing for SILENCE_LIMIT_S; 0 means no limit. It gets PATH and LC_ALL=C.UTF-8, with TEMPORARY
   (null: none) as TMPDIR, and nothing else of the user's environment but with INHERITS, plus the "NAME=VALUE" texts of MORE (may be
   null, ends with null). CONFINED (null: not) is what it may read and write, where the kernel can see to that. It has no terminal, and ends when this process does. One
   without ARGUMENTS is passed over. The lower half is filled by commands_run: OUTPUT and ERRORS (what it printed, with a zero
   behind; of more than COMMAND_OUTPUT_BYTES each, the first, and DROPPED_BYTES says how many not) are freed by commands_clear. */
enum { COMMAND_OUTPUT_BYTES = 8 << 20 };
struct command {
    const char *const *arguments;
    const char *folder, *temporary;
    unsigned time_limit_s, silence_limit_s;
    bool inherits;
    const char *const *more;
    const struct confinement *confined;

    bool ran;       /* false: it could not be started */
    bool timed_out; /* ended by us at its time limit */
    bool silent;    /* or since it printed nothing for so long */
    bool signalled; /* a signal ended it */
    int exit_code;  /* 128 + the signal when one ended it */
    char *output, *errors;
    size_t dropped_bytes;
    double seconds;
};

/* Where commands come from that depend on one another. NEXT gives the next one to start now, or null while none is ready; it is asked
   again when one has ENDED. Commands stay where they are until then. MEANWHILE is called when all that can run does, for what nobody waits
   for. */
struct command_source {
    struct command *(*next)(void *with);
    void (*ended)(void *with, struct command *command);
    bool (*cancelled)(void *with); /* may be null */
    void *with, *cancelled_with;
    void (*meanwhile)(void *with); /* may be null */
};

/* Runs what SOURCE gives, at most JOBS at once, until it gives nothing and all have ended. TA_E_INTERRUPTED as in commands_run. */
enum ta_status commands_feed(const struct command_source *source, unsigned jobs, struct ta_problem *why);

/* Runs COUNT commands, at most JOBS at once, to the end of all. When one fails and STOP_AT_FAILURE is set, no further
   ones are started. DONE (may be null) is told of each as it ends. TA_E_INTERRUPTED when CANCELLED (may be null) said
   true: all that still ran were ended. A command that fails is no error here. */
enum ta_status commands_run(struct command *commands, size_t count, unsigned jobs, bool stop_at_failure,
                            bool (*cancelled)(void *), void *cancelled_with,
                            void (*done)(const struct command *command, void *with), void *done_with,
                            struct ta_problem *why);
void commands_clear(struct command *commands, size_t count);

#endif
