/* The command line, read. */
#ifndef CLI_ARGUMENTS_H
#define CLI_ARGUMENTS_H

#include "cli/commands.h"

/* Reads the command line into SESSION: command, action, names and options. False after a problem of usage, which SESSION has; what
   could be read of it is there. */
bool parse_arguments(struct session *session, int argc, char **argv);

#endif
