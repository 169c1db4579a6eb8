/* The commands of the tool, and which options each takes. */
#ifndef CLI_COMMANDS_H
#define CLI_COMMANDS_H

#include "cli/actions.h"

/* Groups of options, each shared by the commands that take it. */
enum {
    TAKES_CHOICES = 1,
    TAKES_RUN = 2,
    TAKES_TARGET = 4,
    TAKES_REST = 8,
    TAKES_IMPORT = 16,
    TAKES_QUERY = 32,
    TAKES_EDITED = 64,
    TAKES_SET = 128,
    TAKES_FIX = 256,
    TAKES_FILES = 512,
};

/* DONE is the word for what was done. ACTIONS is null for a command that has none. */
struct command {
    const char *name, *arguments, *summary, *done;
    enum ta_status (*run)(struct session *session);
    int takes;
    const struct action *actions;
};

typedef enum ta_status command_run(struct session *session);
command_run command_import, command_configure, command_ready, command_build, command_show, command_deploy,
    command_run_image, command_verify, command_demo, command_standing, command_catalog, command_bench;

#endif
