#include "cli/panel.h"

#include "base/units.h"
#include "cli/say.h"

#include <signal.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum { OUTPUTS = 4, LEAST_ROWS = 6, REDRAW_US = 50000 };

struct lamps {
    char name[TA_EVENT_NAME_BYTES];
    uint64_t level;
    unsigned width;
};

static struct {
    volatile sig_atomic_t open, resized;
    bool colour, unicode;
    unsigned rows;
    struct lamps outputs[OUTPUTS];
    size_t count;
    uint64_t time_ns;
    gint64 drawn_us;
    bool changed;
} panel;

static void note_resize(int signal_number) {
    (void)signal_number;
    panel.resized = 1;
}

/* The console scrolls in all lines but the last. The cursor goes back to where it was, one line up when it stood on the last. */
static void take_last_line(void) {
    struct winsize size;
    panel.rows = ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) || size.ws_row < LEAST_ROWS ? 0 : size.ws_row;
    if (panel.rows)
        printf("\n\0337\033[1;%ur\0338\033[A", panel.rows - 1);
}

void panel_open(bool colour) {
    struct sigaction action = {.sa_handler = note_resize};
    if (!isatty(STDOUT_FILENO) || !isatty(STDERR_FILENO) || !terminal_obeys())
        return;
    sigemptyset(&action.sa_mask);
    sigaction(SIGWINCH, &action, NULL);
    panel.colour = colour;
    panel.unicode = g_get_charset(NULL);
    panel.count = 0;
    panel.time_ns = 0;
    panel.drawn_us = 0;
    fflush(stderr);
    take_last_line();
    panel.open = panel.rows > 0;
    fflush(stdout);
}

/* Lamp 1 is the rightmost, as in a trial's row. */
static void print_lamps(const struct lamps *lamps) {
    say(stdout, "%s ", lamps->name);
    for (unsigned i = lamps->width; i-- > 0;) {
        bool lit = lamps->level >> i & 1;
        if (panel.colour && lit)
            fputs("\033[33m", stdout);
        fputs(panel.unicode ? (lit ? "\u25cf" : "\u25cb") : (lit ? "#" : "."), stdout);
        if (panel.colour && lit)
            fputs("\033[0m", stdout);
    }
    fputs("  ", stdout);
}

static void print_contents(void) {
    char time[UNIT_TEXT_BYTES];
    for (size_t i = 0; i < panel.count; ++i)
        print_lamps(&panel.outputs[i]);
    unit_format(time, UNIT_TIME_NS, panel.time_ns / 100000000 * 100000000);
    printf("%.*s s", (int)strlen(time) - 4, time); /* tenths are enough for people */
}

static void draw(void) {
    panel.changed = false;
    panel.drawn_us = g_get_monotonic_time();
    printf("\0337\033[%u;1H\033[K", panel.rows);
    print_contents();
    fputs("\0338", stdout);
}

static void take_output(const struct ta_event *event) {
    size_t at = 0;
    while (at < panel.count && strcmp(panel.outputs[at].name, event->name))
        ++at;
    if (at == OUTPUTS)
        return;
    panel.count += at == panel.count;
    g_strlcpy(panel.outputs[at].name, event->name, sizeof panel.outputs[at].name);
    panel.outputs[at].level = event->value;
    panel.outputs[at].width = event->width;
    panel.changed = true;
}

void panel_take(const struct ta_event *event) {
    if (!panel.open)
        return;
    panel.changed = panel.changed || event->time_ns / 100000000 != panel.time_ns / 100000000;
    panel.time_ns = event->time_ns;
    if (event->kind == TA_EVENT_OUTPUT)
        take_output(event);
    if (panel.resized) {
        panel.resized = 0;
        take_last_line();
        panel.changed = true;
    }
    if (panel.changed && panel.rows && g_get_monotonic_time() - panel.drawn_us >= REDRAW_US)
        draw();
}

void panel_close(bool flush) {
    static const char give_back[] = "\0337\033[r\0338";
    static const char clear[] = "\0337\033[999;1H\033[K\0338";
    if (!panel.open)
        return;
    panel.open = 0;
    if (flush)
        fflush(stdout);
    ssize_t written = write(STDOUT_FILENO, clear, sizeof clear - 1);
    written = write(STDOUT_FILENO, give_back, sizeof give_back - 1);
    (void)written; /* a terminal that is gone needs nothing back */
}
