/* Files of NAME=VALUE lines, as environments are kept in: '#' begins a comment line, a value may stand in single or double
   quotes, "export" in front is passed over. */
#ifndef TA_HOST_DOTENV_H
#define TA_HOST_DOTENV_H

#include "tameanchor/status.h"

#include <stddef.h>

/* One line of the file. NAME is null for a comment, an empty line or what is no pair. VALUE is as it stands there, blanks
   and all, but for quotes. */
struct dotenv_line {
    char *text, *name, *value;
};

struct dotenv {
    struct dotenv_line *lines;
    size_t count;
};

/* Reads PATH; a file that is not there has no lines. Cleared with dotenv_clear in any case. */
enum ta_status dotenv_read(const char *path, struct dotenv *dotenv, struct ta_problem *why);
void dotenv_clear(struct dotenv *dotenv);

/* The line of NAME that counts, the last; null when there is none. *NUMBER (may be null) is its number from 1. */
const struct dotenv_line *dotenv_find(const struct dotenv *dotenv, const char *name, unsigned *number);

/* Gives NAME another value, or a line at the end. */
void dotenv_set(struct dotenv *dotenv, const char *name, const char *value);

/* Writes the file for its owner alone, or leaves what was there. */
enum ta_status dotenv_write(const char *path, const struct dotenv *dotenv, struct ta_problem *why);

#endif
