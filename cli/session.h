/* One run of the tool: what its command line says, and what comes of it. */
#ifndef CLI_SESSION_H
#define CLI_SESSION_H

#include "cli/output.h"
#include "cli/say.h"

#include <glib.h>
#include <jansson.h>

/* Everything that a command line can say. */
struct options {
    char *folder, *sdk, *compiler, *target, *profile, *optimise, *for_text, *pace, *ref, *subfolder, *kind, *board,
        *component, *key, *accept, *account, *stack, *heap, *console_speed, *clock, *edited;
    gboolean json, quiet, no_semihosting, version, in_place, gather, anyway, yes, first, fix, list, show, diff, back,
        files;
    char **rest, **with, **without, **settings, **set;
};

struct session {
    struct options options;
    struct output output;
    struct ta_context *context;
    struct ta_report *report;
    struct ta_problem why;
    const char *done;        /* the word for what was done, where it is not the command's; null else */
    bool asks_input;         /* a licence may be accepted by the input's next line */
    json_t *steps;           /* of demo */
    struct say_rest console; /* of what a target says on a terminal */
    int exit_code;           /* of a program that ended by itself; -1 for none */
};

size_t rest_count(const struct session *session);

/* Sets a problem of usage. */
enum ta_status usage(struct session *session, const char *fix, const char *what);

void free_options(struct options *options);

/* Asks the user; a struct ta_context's agrees. WITH is the session. What no terminal can be asked about is not agreed to,
   but for the answer that `catalog accept` takes from its input. */
bool ask_agreement(void *with, enum ta_question question, const char *about, const char *text);

/* Reads a password: from the terminal without showing it, else the first line of the input. Null when there is none; freed
   with g_free. */
char *ask_password(const char *prompt);

#endif
