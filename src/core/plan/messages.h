/* What compilers and linkers say, taken apart. */
#ifndef TA_CORE_PLAN_MESSAGES_H
#define TA_CORE_PLAN_MESSAGES_H

#include "base/arena.h"

#include <stdbool.h>
#include <stddef.h>

enum severity { SEVERITY_NOTE, SEVERITY_WARNING, SEVERITY_ERROR };
extern const char *const severity_words[];

/* One message: "src/main.c:12:5: warning: unused variable [-Wunused-variable]". LINE and COLUMN are 0 when they are not told; FILE may be
   the program that speaks; OPTION is null when no option turns it on. */
struct message {
    const char *file;
    unsigned line, column;
    enum severity severity;
    const char *text, *option;
};

/* The messages of TEXT, with or without the colours of terminals, in their order; lines that are none are passed over. Memory from ARENA;
   null without memory. */
struct message *messages_read(struct arena *arena, const char *text, size_t *count);

/* TEXT without what colours it. Null without memory. */
char *messages_plain(struct arena *arena, const char *text);

#endif
