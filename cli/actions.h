/* Commands and their actions: what a row of the table says, and finding one. */
#ifndef CLI_ACTIONS_H
#define CLI_ACTIONS_H

#include "cli/session.h"

/* "tanchor bench add NAME": one action of a command. NAME is null for the command without one. It takes LEAST to MOST names,
   completed from NAMES, and OPTIONS, apart by blanks, beside the common ones. ABOUT says more than SUMMARY does. DONE is the word
   for what was done, empty when the answer is a list. EXAMPLES leave "tanchor" out. */
struct action {
    const char *name, *arguments, *summary, *about, *done, *options;
    size_t least, most;
    enum source names;
    const char *examples[3];
    enum ta_status (*run)(struct session *session);
};

/* ACTIONS end with a null RUN. The first may be without a name. A HIDDEN command is for other programs. */
struct command {
    const char *name, *summary;
    const struct action *actions;
    bool hidden;
};

/* The command of that name in ALL, which ends with a null name; its action of that name, a null NAME being the one without. Null when
   there is none. */
const struct command *command_find(const struct command *all, const char *name);
const struct action *action_find(const struct command *command, const char *name);

/* The nearest name to WORD, or null. */
const char *command_near(const struct command *all, const char *word);
const char *action_near(const struct command *command, const char *word);

/* "tanchor bench add"; freed with g_free. */
char *action_words(const struct command *command, const struct action *action);

#endif
