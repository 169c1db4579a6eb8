#include "tameanchor/advice.h"

#include <stdbool.h>
#include <stdio.h>
#include <string.h>

static const char *const names[] = {
#define ROW(name, text) text,
    TA_ACTION_TABLE(ROW)
#undef ROW
};

/* The action whose name begins at TEXT (behind its brace) and ends with a blank or the closing brace. */
static bool find_action(const char *text, enum ta_action *action) {
    size_t length = strcspn(text, " {}");
    for (size_t i = 0; i < sizeof names / sizeof *names; ++i) {
        if (strlen(names[i]) != length || memcmp(names[i], text, length))
            continue;
        *action = (enum ta_action)i;
        return true;
    }
    return false;
}

static void add(char *buffer, size_t size, size_t *length, const char *text, size_t count) {
    for (size_t i = 0; i < count && *length + 1 < size; ++i)
        buffer[(*length)++] = text[i];
    buffer[*length] = '\0';
}

const char *ta_advice_text(const char *advice, ta_action_words *say, void *with, char *buffer, size_t size) {
    size_t length = 0;
    buffer[0] = '\0';
    while (*advice) {
        const char *end = *advice == '{' ? strchr(advice, '}') : NULL;
        enum ta_action action;
        if (!end || !find_action(advice + 1, &action)) {
            size_t plain = 1 + strcspn(advice + 1, "{");
            add(buffer, size, &length, advice, plain);
            advice += plain;
            continue;
        }
        const char *argument = advice + 1 + strlen(names[action]);
        char said[1024], given[1024];
        argument += *argument == ' ';
        snprintf(given, sizeof given, "%.*s", (int)(end - argument), argument);
        say(with, action, given, said, sizeof said);
        add(buffer, size, &length, said, strlen(said));
        advice = end + 1;
    }
    return buffer;
}
