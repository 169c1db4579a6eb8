/* The command line. */
#ifndef CLI_ARGUMENTS_H
#define CLI_ARGUMENTS_H

#include "cli/commands.h"

/* Reads the options before the command, the command, and the options behind it, into SESSION; plain `tanchor` is a command too.
   Null after a problem of usage, which SESSION has. */
const struct command *parse_arguments(struct session *session, int argc, char **argv);

#endif
