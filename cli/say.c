#include "cli/say.h"

#include "base/text.h"

#include <string.h>

bool terminal_obeys(void) {
    const char *terminal = g_getenv("TERM");
    return terminal && *terminal && strcmp(terminal, "dumb");
}

char *shown_text(const char *text) {
    struct text shown = {0};
    text_add_shown(&shown, text, strlen(text), false, true);
    char *copy = g_strdup(shown.bytes ? shown.bytes : "");
    text_free(&shown);
    return copy;
}

static size_t letter_width(const char *at) {
    gunichar letter = g_utf8_get_char(at);
    return g_unichar_iszerowidth(letter) ? 0 : g_unichar_iswide(letter) ? 2 : 1;
}

size_t shown_width(const char *shown) {
    size_t width = 0;
    for (; *shown; shown = g_utf8_next_char(shown))
        width += letter_width(shown);
    return width;
}

void shown_cut(char *shown, size_t columns) {
    size_t width = 0;
    for (; *shown && width + letter_width(shown) <= columns; shown = g_utf8_next_char(shown))
        width += letter_width(shown);
    *shown = '\0';
}

void say(FILE *stream, const char *format, ...) {
    size_t length = strlen(format);
    bool ends = length && format[length - 1] == '\n';
    g_autofree char *line = g_strndup(format, length - ends);
    va_list arguments;
    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(line, arguments);
    va_end(arguments);
    g_autofree char *shown = shown_text(text);
    fputs(shown, stream);
    if (ends)
        fputc('\n', stream);
}

void say_text(FILE *stream, const char *bytes, size_t length, struct say_rest *rest) {
    g_autoptr(GString) all = g_string_new_len(rest ? rest->bytes : "", rest ? (gssize)rest->length : 0);
    struct text shown = {0};
    g_string_append_len(all, bytes, (gssize)length);
    size_t taken = text_add_shown(&shown, all->str, all->len, true, !rest);
    fwrite(shown.bytes ? shown.bytes : "", 1, shown.length, stream);
    if (rest) {
        rest->length = all->len - taken;
        memcpy(rest->bytes, all->str + taken, rest->length);
    }
    text_free(&shown);
}

/* What is cut off, or not the compiler's own, leaves no colour behind. */
void say_coloured(FILE *stream, const char *text) {
    bool coloured = false;
    while (*text) {
        size_t colour = text_colour(text), length = colour;
        if (colour) {
            coloured = true;
            fwrite(text, 1, colour, stream);
        } else {
            for (length = 1; text[length] && !text_colour(text + length);)
                ++length;
            say_text(stream, text, length, NULL);
        }
        text += length;
    }
    if (coloured)
        fputs("\033[m", stream);
}
