/* One run of the tool: what its command line says, and what comes of it. */
#ifndef CLI_SESSION_H
#define CLI_SESSION_H

#include "cli/options.h"
#include "cli/output.h"
#include "cli/say.h"

#include <jansson.h>

struct action;
struct command;

/* What a run that is watched has seen. */
struct watching_run {
    bool input_over;
    uint64_t redraws; /* of the board, when its screen was shown last, at */
    int64_t showed_us;
};

struct session {
    struct options options;
    const struct command *commands; /* all of them */
    const struct command *command;  /* null before it is known */
    const struct action *action;
    bool names_action; /* help: of this action alone */
    char **names;      /* behind the action; null when there are none */
    size_t name_count;
    struct output output;
    struct ta_context *context;
    struct ta_report *report;
    struct ta_problem why;
    const char *done; /* the word for what was done, where it is not the action's; null else */
    bool asks_input;  /* a licence may be accepted by the input's next line */
    bool answered;    /* all was said already */
    json_t *steps;    /* of demo */
    struct ta_run run;
    struct watching_run watching;
    struct ta_watch *watch;
    char *saved;   /* the file that --watch heard of */
    int exit_code; /* of a program that ended by itself; -1 for none */
};

/* From now on SIGINT and SIGTERM ask for an end, and a second one is the end; whether one did. */
void session_watch_signals(void);
bool session_interrupted(void *unused);

/* Sets a problem of usage. */
enum ta_status usage(struct session *session, const char *fix, const char *what);

/* Prints what SESSION found: for people, or with --json one document. */
void session_answer(struct session *session, enum ta_status status, int exit_code);

/* Asks the user; a struct ta_context's agrees. WITH is the session. What no terminal can be asked about is not agreed to,
   but for the answer that `catalog accept` takes from its input. */
bool ask_agreement(void *with, enum ta_question question, const char *about, const char *text);

/* Reads a password: from the terminal without showing it, else the first line of the input. Null when there is none; freed
   with g_free. */
char *ask_password(const char *prompt);

#endif
