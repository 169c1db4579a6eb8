/* The commands of the tool and their actions: one table from which the command line is read, help and manual pages are written, and
   words are completed. */
#ifndef CLI_COMMANDS_H
#define CLI_COMMANDS_H

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

/* Ends with a null name; the first is plain `tanchor`, of no name. */
extern const struct command all_commands[];

/* The command or action of that name; null when there is none. A null NAME is the action without one. */
const struct command *command_find(const char *name);
const struct action *action_find(const struct command *command, const char *name);

/* The nearest name to WORD, or null. */
const char *command_near(const char *word);
const char *action_near(const struct command *command, const char *word);

/* "tanchor bench add"; freed with g_free. */
char *action_words(const struct command *command, const struct action *action);

/* What actions do. */
typedef enum ta_status action_run(struct session *session);
action_run run_standing, run_import, run_configure, run_ready, run_build, run_show, run_deploy, run_run, run_verify,
    run_demo, run_help, run_complete, catalog_search, catalog_show, catalog_add, catalog_remove, catalog_pack,
    catalog_bundle, catalog_places, catalog_use, catalog_forget, catalog_sign_in, catalog_sign_out, catalog_accept,
    catalog_licence, catalog_evaluate, catalog_trust, bench_list, bench_add, bench_show, bench_switch, bench_remove;

#endif
