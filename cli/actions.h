/* Commands that have actions: tanchor catalog show, tanchor bench add. */
#ifndef CLI_ACTIONS_H
#define CLI_ACTIONS_H

#include "cli/session.h"

/* LEAST and MOST: how many names it takes behind its own. RUN gets them. A table of these ends with a null name. */
struct action {
    const char *name, *arguments, *summary;
    size_t least, most;
    enum ta_status (*run)(struct session *session, char **names);
};

extern const struct action catalog_actions[], bench_actions[];

/* The action of that name, or null. */
const struct action *action_find(const struct action *actions, const char *name);

/* Runs it with what stands behind its name, when that is as many as it takes. COMMAND is the word before it. */
enum ta_status action_run(struct session *session, const char *command, const struct action *action);

/* All of them, a line each; freed with g_free. */
char *actions_help(const char *command, const struct action *actions);

#endif
