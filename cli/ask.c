/* Asking the user. */
#include "cli/say.h"
#include "cli/session.h"

#include <stdio.h>
#include <string.h>
#include <termios.h>
#include <unistd.h>

/* The next line of the input without its end; null at the end. Freed with g_free. */
static char *read_line(void) {
    g_autoptr(GString) line = g_string_new(NULL);
    char byte;
    ssize_t length;
    while ((length = read(STDIN_FILENO, &byte, 1)) == 1 && byte != '\n')
        g_string_append_c(line, byte);
    if (length < 0 || (!length && !line->len))
        return NULL;
    return g_strdup(g_strchomp(line->str));
}

static bool has_terminal(void) {
    return isatty(STDIN_FILENO) && isatty(STDERR_FILENO);
}

bool ask_agreement(void *with, enum ta_question question, const char *about, const char *text) {
    struct session *session = with;
    if (question == TA_ASK_FETCH && session->options.yes)
        return true;
    if (session->output.json || !(has_terminal() || (session->asks_input && question == TA_ASK_LICENCE)))
        return false;
    clear_progress(&session->output);
    if (text) {
        say_text(stderr, text, strlen(text), NULL);
        fputs(g_str_has_suffix(text, "\n") ? "" : "\n", stderr);
    }
    say(stderr, question == TA_ASK_LICENCE ? "%s. Write yes to accept it: " : "%s? y/n: ", about);
    fflush(stderr);
    g_autofree char *answer = read_line();
    if (!isatty(STDIN_FILENO))
        fputc('\n', stderr);
    if (question == TA_ASK_LICENCE)
        return answer && !g_ascii_strcasecmp(answer, "yes");
    return answer && (!g_ascii_strcasecmp(answer, "y") || !g_ascii_strcasecmp(answer, "yes"));
}

char *ask_password(const char *prompt) {
    struct termios shown, hidden;
    bool terminal = has_terminal() && !tcgetattr(STDIN_FILENO, &shown);
    if (terminal) {
        hidden = shown;
        hidden.c_lflag &= ~(tcflag_t)ECHO;
        say(stderr, "%s", prompt);
        tcsetattr(STDIN_FILENO, TCSAFLUSH, &hidden);
    }
    char *password = read_line();
    if (terminal) {
        tcsetattr(STDIN_FILENO, TCSAFLUSH, &shown);
        fputc('\n', stderr);
    }
    return password;
}
