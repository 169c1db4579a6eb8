#include "cli/console.h"

#include "cli/panel.h"
#include "cli/say.h"

#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <sys/stat.h>
#include <termios.h>
#include <unistd.h>

static struct {
    struct termios before;
    volatile sig_atomic_t changed, continued;
    bool by_line, unfinished;
    struct say_rest rest; /* of a character that is not yet whole */
} console;

static void note_continued(int signal_number) {
    (void)signal_number;
    console.continued = 1;
}

/* Ctrl-Z: the shell gets its terminal as it was. */
static void stop(int signal_number) {
    (void)signal_number;
    panel_close(false);
    console_restore();
    raise(SIGSTOP);
}

/* Keys at once, without an echo; Ctrl-C and Ctrl-Z stay what they are. Not in the background, where that would stop us. */
static void take_keys(void) {
    struct termios keys;
    if (console.by_line || !isatty(STDIN_FILENO) || tcgetpgrp(STDIN_FILENO) != getpgrp())
        return;
    if (!console.changed && tcgetattr(STDIN_FILENO, &console.before))
        return;
    keys = console.before;
    keys.c_lflag &= ~(tcflag_t)(ICANON | ECHO);
    keys.c_cc[VMIN] = 1;
    keys.c_cc[VTIME] = 0;
    console.changed = !tcsetattr(STDIN_FILENO, TCSANOW, &keys);
}

void console_open(bool by_line) {
    struct sigaction action = {.sa_handler = note_continued};
    sigemptyset(&action.sa_mask);
    sigaction(SIGCONT, &action, NULL);
    action.sa_handler = stop;
    sigaction(SIGTSTP, &action, NULL);
    console.by_line = by_line;
    console.unfinished = false;
    console.rest = (struct say_rest){0};
    take_keys();
}

bool console_continued(void) {
    bool continued = console.continued;
    console.continued = 0;
    if (continued)
        take_keys();
    return continued;
}

void console_restore(void) {
    if (console.changed)
        tcsetattr(STDIN_FILENO, TCSANOW, &console.before);
    console.changed = 0;
}

/* Whether what goes to stdout and what goes to stderr end in one place. */
static bool is_shared(void) {
    struct stat out, err;
    return !fstat(STDOUT_FILENO, &out) && !fstat(STDERR_FILENO, &err) && out.st_dev == err.st_dev &&
           out.st_ino == err.st_ino;
}

void console_close(void) {
    fflush(stdout);
    console_restore();
    if (console.unfinished && is_shared())
        fputc('\n', stderr);
    console.unfinished = false;
}

void console_write(void *with, const uint8_t *bytes, size_t length) {
    (void)with;
    if (!length)
        return;
    if (isatty(STDOUT_FILENO))
        say_text(stdout, (const char *)bytes, length, &console.rest);
    else
        fwrite(bytes, 1, length, stdout);
    console.unfinished = bytes[length - 1] != '\n';
}

int console_read(void *with, uint8_t *bytes, size_t size) {
    struct pollfd stdin_ready = {.fd = STDIN_FILENO, .events = POLLIN};
    (void)with;
    if (poll(&stdin_ready, 1, 0) <= 0)
        return 0;
    ssize_t length = read(STDIN_FILENO, bytes, size);
    return length > 0 ? (int)length : -1;
}
