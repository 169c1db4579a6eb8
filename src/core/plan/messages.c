#include "core/plan/messages.h"

#include "base/text.h"

#include <string.h>

const char *const severity_words[] = {"note", "warning", "error", NULL};

/* How each severity is said; the longest first. */
static const struct {
    const char *word;
    enum severity severity;
} words[] = {{": fatal error: ", SEVERITY_ERROR}, {": internal compiler error: ", SEVERITY_ERROR},
             {": error: ", SEVERITY_ERROR},       {": Error: ", SEVERITY_ERROR},
             {": Fatal error: ", SEVERITY_ERROR}, {": warning: ", SEVERITY_WARNING},
             {": Warning: ", SEVERITY_WARNING},   {": note: ", SEVERITY_NOTE}};

char *messages_plain(struct arena *arena, const char *text) {
    char *plain = arena_alloc(arena, strlen(text) + 1), *to = plain;
    while (plain && *text) {
        size_t colour = text_colour(text);
        if (colour)
            text += colour;
        else
            *to++ = *text++;
    }
    return plain;
}

/* Takes ":12" off the end of NAME; 0 when there is none. */
static unsigned take_number(char *name) {
    char *colon = strrchr(name, ':');
    unsigned number = 0;
    if (!colon || !colon[1] || strspn(colon + 1, "0123456789") != strlen(colon + 1) || strlen(colon + 1) > 9)
        return 0;
    for (const char *digit = colon + 1; *digit; ++digit)
        number = number * 10 + (unsigned)(*digit - '0');
    *colon = '\0';
    return number;
}

/* "... [-Wunused-variable]" */
static const char *take_option(char *text) {
    size_t length = strlen(text);
    char *open = length && text[length - 1] == ']' ? strrchr(text, '[') : NULL;
    if (!open || open == text || open[-1] != ' ' || open[1] != '-')
        return NULL;
    text[length - 1] = '\0';
    open[-1] = '\0';
    return open + 1;
}

/* LINE is the message's own to cut. */
static bool read_line(char *line, struct message *message) {
    static const char driver[] = ": undefined reference to ";
    char *found = NULL, *text = NULL;
    for (size_t i = 0; i < sizeof words / sizeof *words; ++i) {
        char *here = strstr(line, words[i].word);
        if (!here || (found && here >= found))
            continue;
        found = here;
        text = here + strlen(words[i].word);
        message->severity = words[i].severity;
    }
    if (!found && (found = strstr(line, driver))) { /* a linker, which does not say how bad that is */
        text = found + 2;
        message->severity = SEVERITY_ERROR;
    }
    if (!found || found == line || !*text)
        return false;
    *found = '\0';
    unsigned last = take_number(line), first = last ? take_number(line) : 0;
    message->line = first ? first : last;
    message->column = first ? last : 0;
    message->file = line;
    message->option = take_option(text);
    message->text = text;
    return *line != '\0';
}

struct message *messages_read(struct arena *arena, const char *text, size_t *count) {
    struct message *list = NULL;
    size_t room = 0;
    char *plain = messages_plain(arena, text);
    *count = 0;
    for (char *line = plain; line && *line;) {
        char *end = strchr(line, '\n');
        struct message message = {0};
        if (end)
            *end = '\0';
        if (read_line(line, &message)) {
            list = arena_grow(arena, list, *count, &room, sizeof *list);
            if (!list)
                return NULL;
            list[(*count)++] = message;
        }
        line = end ? end + 1 : line + strlen(line);
    }
    return plain && !list ? arena_alloc(arena, sizeof *list) : list;
}
