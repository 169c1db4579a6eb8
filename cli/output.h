/* What the tool prints: for people, or as JSON for programs. */
#ifndef TA_CLI_OUTPUT_H
#define TA_CLI_OUTPUT_H

#include "tameanchor/tameanchor.h"

#include <stdbool.h>
#include <stdio.h>

/* How to print. STREAM is where findings go; the tool's trouble goes to stderr always. */
struct output {
    FILE *stream;
    bool json, quiet, colour;
    bool watching; /* the next step is known */
    bool begun;    /* print_beginning told the title and this many findings */
    size_t findings_shown;
    bool progress_shown;
    int64_t progress_us; /* when it was drawn, by the monotonic clock */
};

/* DONE is the word for what the command did, "Built", empty when
   there is none; null when it did not. */
void print_report(struct output *output, const char *done, const struct ta_report *report);
void print_problem(const struct ta_problem *why);

/* The title and what was found until now; print_report goes on from there. */
void print_beginning(struct output *output, const struct ta_report *report);

/* What is other than in BEFORE, the answer to the same question a moment ago (null: all of it). */
void print_changes(struct output *output, const struct ta_report *before, const struct ta_report *report);

/* One step of several: its name in front, no next step behind. */
void print_step(struct output *output, const char *name, const struct ta_report *report);

/* A line of progress on a terminal, and its end. */
void print_progress(struct output *output, const struct ta_progress *progress);
void clear_progress(struct output *output);

/* ADVICE with this tool's commands for its actions; null for null. Freed with g_free. */
char *advice_text(const char *advice);

/* The last things that happened before a trial failed, a line each; freed with g_free. What was seen instead, with the place of
   a trap. */
char *recording_before(const struct ta_recording *recording);
char *recording_seen(const struct ta_recording *recording);

/* The same report as a JSON object: docs/json.md. Returns a json_t, typed so that this header needs no JSON library. */
struct json_t;
struct json_t *report_to_json(const char *command, const char *action, int exit_code, const struct ta_report *report,
                              const struct ta_problem *why);

#endif
