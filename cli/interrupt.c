/* Signals: the user wants an end. */
#include "cli/console.h"
#include "cli/panel.h"
#include "cli/session.h"

#include <signal.h>

static volatile sig_atomic_t interrupted;

/* The first one asks for an end; a second one is the end, whatever hangs. */
static void interrupt(int signal_number) {
    if (!interrupted) {
        interrupted = 1;
        return;
    }
    panel_close(false);
    console_restore();
    signal(signal_number, SIG_DFL);
    raise(signal_number);
}

bool session_interrupted(void *unused) {
    (void)unused;
    return interrupted;
}

void session_watch_signals(void) {
    struct sigaction action = {.sa_handler = interrupt};
    sigemptyset(&action.sa_mask);
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
    signal(SIGXFSZ, SIG_IGN); /* a file over its limit is then an error of the write */
}
