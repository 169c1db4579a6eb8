#include "log.h"

#include <stdarg.h>
#include <stdio.h>

enum { LINES = 16, LINE_BYTES = 64 };

static char lines[LINES][LINE_BYTES];
static unsigned first, count;

void log_note(const char *format, ...) {
    va_list arguments;
    if (count == LINES)
        log_drop();
    char *line = lines[(first + count++) % LINES];
    va_start(arguments, format);
    int length = vsnprintf(line, LINE_BYTES - 1, format, arguments);
    va_end(arguments);
    if (length > LINE_BYTES - 2)
        length = LINE_BYTES - 2;
    line[length] = '\n';
    line[length + 1] = '\0';
}

const char *log_first(void) {
    return count ? lines[first] : 0;
}

void log_drop(void) {
    first = (first + 1) % LINES;
    --count;
}
