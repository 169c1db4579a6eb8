/* Help, made from the table of commands. */
#ifndef CLI_HELP_H
#define CLI_HELP_H

#include "cli/actions.h"

/* Prints help to stdout: the overview of ALL commands (COMMAND null), a command with its actions, or one action alone (ACTION not
   null). */
void print_help(const struct command *all, const struct command *command, const struct action *action);

#endif
