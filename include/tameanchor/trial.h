/* A trial: stimuli and expectations with deadlines in device time. Grammar: docs/trials.md. */
#ifndef TAMEANCHOR_TRIAL_H
#define TAMEANCHOR_TRIAL_H

#include "tameanchor/port.h"
#include "tameanchor/recording.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A trial file, which holds one trial or several. */
struct ta_trials;

/* How `console matches` is decided; trials know no regular expressions of their own. COMPILE gives null and fills WHY
   when PATTERN is none. MATCH tells whether the pattern occurs in TEXT, and where the occurrence ends. */
struct ta_patterns {
    void *(*compile)(const char *pattern, struct ta_problem *why);
    bool (*match)(void *pattern, const char *text, size_t length, size_t *end);
    void (*free)(void *pattern);
};

/* What trials name and what stands in files of its own, NAME as the trial has it. PICTURE is made what the file holds, and is freed with
   ta_picture_free; *BYTES are its contents, of which there are *LENGTH, to be freed with free. */
struct ta_attachments {
    void *with;
    enum ta_status (*picture)(void *with, const char *name, struct ta_picture *picture, struct ta_problem *why);
    enum ta_status (*contents)(void *with, const char *name, char **bytes, size_t *length, struct ta_problem *why);
};

/* Parses TEXT (LENGTH bytes of UTF-8, need not end in a zero). FILE appears in problems and verdicts only. PATTERNS may
   be null: `matches` is then refused; ATTACHMENTS may be null: what stands in files is. On success *TRIALS is the caller's, to be freed with ta_trials_free. On
   TA_E_SYNTAX, WHY holds line, column, what was found and what is allowed there. */
enum ta_status ta_trials_parse(const char *text, size_t length, const char *file, const struct ta_patterns *patterns,
                               const struct ta_attachments *attachments, struct ta_trials **trials,
                               struct ta_problem *why);
void ta_trials_free(struct ta_trials *trials);

size_t ta_trials_count(const struct ta_trials *trials);
const char *ta_trial_name(const struct ta_trials *trials, size_t index);
unsigned ta_trial_line(const struct ta_trials *trials, size_t index);
/* How many of its statements expect something. */
unsigned ta_trial_expectations(const struct ta_trials *trials, size_t index);

/* Checks that every input and output named exists on PROFILE and is of the right kind and width. */
enum ta_status ta_trial_check(const struct ta_trials *trials, size_t index, const struct ta_profile *profile,
                              struct ta_problem *why);

/* Runs one trial through PORT, whose target may be powered or not, and leaves it powered off and its inputs let go. Where the power cannot be
   switched, "power on" is a reset, which the recording says, and the target is left halted. On TA_OK
   *RECORDING is the caller's, to be freed with ta_recording_free; a failed expectation is a verdict in it, not an error. On
   any other status *RECORDING is null. CANCELLED (may be null) is asked now and then; true ends the run with
   TA_E_INTERRUPTED. WHY may be null. */
enum ta_status ta_trial_run(const struct ta_trials *trials, size_t index, struct ta_port *port,
                            bool (*cancelled)(void *), void *cancelled_with, struct ta_recording **recording,
                            struct ta_problem *why);

#ifdef __cplusplus
}
#endif
#endif
