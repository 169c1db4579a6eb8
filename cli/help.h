/* Help, made from the table of commands. */
#ifndef CLI_HELP_H
#define CLI_HELP_H

#include "cli/commands.h"

/* Prints help to stdout: the overview (COMMAND null), a command with its actions, or one action alone (ACTION not null). */
void print_help(const struct command *command, const struct action *action);

/* Prints docs/commands.md, which is the manual page too. */
void print_reference(void);

#endif
