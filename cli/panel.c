#include "cli/panel.h"

#include "base/units.h"
#include "cli/desk.h"
#include "cli/say.h"
#include "cli/texts.h"

#include <errno.h>
#include <signal.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum { LEAST_ROWS = 6, REDRAW_US = 50000 };

/* A picture takes so many lines at the most, if that leaves the console as many as it needs; a line is two points high. */
enum { PICTURE_ROWS = 20, CONSOLE_ROWS = 12, PICTURE_COLUMNS = 80, CHANNELS = 3 };

static struct {
    volatile sig_atomic_t open, resized;
    bool colour, unicode;
    unsigned rows, columns;
    unsigned least;  /* how many lines are taken without a picture */
    unsigned height; /* how many are: those, and the ones of the picture above them */
    char clear[32];  /* what empties them */
    unsigned points_across, points_down, seen_width, seen_height, turns;
    uint8_t points[2 * PICTURE_ROWS * PICTURE_COLUMNS * CHANNELS];
    char *status; /* the line of lamps and time that is drawn */
    gint64 drawn_us;
    bool changed;
} panel;

static void note_resize(int signal_number) {
    (void)signal_number;
    panel.resized = 1;
}

/* The console scrolls in all lines but the last ones. The cursor goes back to where it was, so many lines up when it stood too low. */
static void take_lines(unsigned height) {
    struct winsize size;
    bool known = !ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) && size.ws_row >= LEAST_ROWS;
    if (panel.rows && panel.height)
        printf("%s\0337\033[r\0338", panel.clear);
    panel.rows = known ? size.ws_row : 0;
    panel.columns = known ? size.ws_col : 0;
    panel.height = height;
    if (!panel.rows)
        return;
    snprintf(panel.clear, sizeof panel.clear, "\0337\033[%u;1H\033[J\0338", panel.rows + 1 - height);
    for (unsigned i = 0; i < height; ++i)
        fputs("\033D", stdout); /* down, in the same column */
    printf("\0337\033[1;%ur\0338\033[%uA", panel.rows - height, height);
}

bool panel_can_open(void) {
    return isatty(STDOUT_FILENO) && isatty(STDERR_FILENO) && terminal_obeys();
}

void panel_open(bool colour) {
    struct sigaction action = {.sa_handler = note_resize};
    if (!panel_can_open())
        return;
    sigemptyset(&action.sa_mask);
    sigaction(SIGWINCH, &action, NULL);
    panel.colour = colour;
    panel.unicode = g_get_charset(NULL);
    panel.drawn_us = 0;
    fflush(stderr);
    panel.points_down = 0;
    panel.height = 0;
    panel.least = desk_has_anything() ? 2 : 1;
    panel.changed = true;
    take_lines(panel.least);
    panel.open = panel.rows > 0;
    fflush(stdout);
}

/* Lamp 1 is the rightmost, as in a trial's row. */
static void add_lamps(GString *line, const struct ta_connector *lamps, uint64_t level) {
    g_autofree char *name = shown_text(lamps->name);
    g_string_append_printf(line, "%s ", name);
    for (unsigned i = lamps->count; i-- > 0;) {
        bool lit = level >> i & 1;
        const char *drawn = panel.unicode ? (lit ? "\u25cf" : "\u25cb") : lit ? "#" : ".";
        g_string_append_printf(line, panel.colour && lit ? "\033[33m%s\033[0m" : "%s", drawn);
    }
    g_string_append(line, "  ");
}

/* Lamps, and the time in tenths, which are enough for people. Freed with g_free. */
static char *status_text(const struct ta_board *board) {
    enum { TENTH_NS = 100000000, DIGITS_LEFT_OUT = 4 };
    GString *line = g_string_new(NULL);
    char time[UNIT_TEXT_BYTES];
    for (size_t i = 0; i < board->profile->connector_count; ++i)
        if (board->profile->connectors[i].kind == TA_CONNECTOR_LAMPS)
            add_lamps(line, &board->profile->connectors[i], board->values[i]);
    unit_format(time, UNIT_TIME_NS, board->time_ns / TENTH_NS * TENTH_NS);
    g_string_append_printf(line, "%.*s s", (int)strlen(time) - DIGITS_LEFT_OUT, time);
    return g_string_free(line, FALSE);
}

/* A signal while a terminal takes so much is no fault of the terminal. */
static void flush_output(void) {
    while (fflush(stdout) && errno == EINTR)
        clearerr(stdout);
}

static void write_output(const char *bytes, size_t length) {
    while (length) {
        ssize_t written = write(STDOUT_FILENO, bytes, length);
        if (written < 0 && errno != EINTR)
            return; /* which the next line of the console says, too */
        bytes += written > 0 ? written : 0;
        length -= written > 0 ? (size_t)written : 0;
    }
}

/* What can be read in this row of the picture, right of it. */
static void add_texts(GString *text, const struct ta_texts *all, unsigned row) {
    enum { GAP = 2 };
    bool sideways = panel.turns % 2;
    unsigned width = sideways ? panel.seen_height : panel.seen_width,
             height = sideways ? panel.seen_width : panel.seen_height;
    g_autofree char *texts = texts_in_row(all, row, panel.points_down / 2, width, height, panel.turns);
    g_autofree char *shown = shown_text(texts);
    shown_cut(shown, panel.columns > panel.points_across + GAP ? panel.columns - panel.points_across - GAP : 0);
    if (*shown)
        g_string_append_printf(text, "%*s%s", GAP, "", shown);
}

/* Two points in each letter's place: the upper half in one colour, the lower in the other. */
static void print_picture(const struct ta_texts *texts) {
    g_autoptr(GString) text = g_string_new("\0337");
    for (unsigned y = 0; y < panel.points_down; y += 2) {
        g_string_append_printf(text, "\033[%u;1H", panel.rows + 1 - panel.height + y / 2);
        for (unsigned x = 0; x < panel.points_across; ++x) {
            const uint8_t *above = panel.points + (size_t)(y * panel.points_across + x) * CHANNELS;
            const uint8_t *below = above + (size_t)panel.points_across * CHANNELS;
            g_string_append_printf(text, "\033[38;2;%u;%u;%um\033[48;2;%u;%u;%um\u2580", above[0], above[1], above[2],
                                   below[0], below[1], below[2]);
        }
        g_string_append(text, "\033[0m\033[K");
        add_texts(text, texts, y / 2);
    }
    g_string_append(text, "\0338");
    flush_output();
    write_output(text->str, text->len);
}

/* As much of the desk as one line holds. */
static void print_desk(void) {
    g_autofree char *line = desk_text(), *shown = shown_text(line);
    shown_cut(shown, panel.columns - 1);
    fputs(shown, stdout);
}

static void draw(void) {
    panel.changed = false;
    panel.drawn_us = g_get_monotonic_time();
    printf("\0337\033[%u;1H\033[K", panel.rows + 1 - panel.least);
    fputs(panel.status, stdout);
    if (panel.least > 1) {
        printf("\033[%u;1H\033[K", panel.rows);
        print_desk();
    }
    fputs("\0338", stdout);
}

/* The mean of the points of PICTURE that fall into one of the panel's. */
static void shrink(const struct ta_picture *picture) {
    for (unsigned y = 0; y < panel.points_down; ++y)
        for (unsigned x = 0; x < panel.points_across; ++x) {
            unsigned left = x * picture->width / panel.points_across,
                     right = (x + 1) * picture->width / panel.points_across;
            unsigned top = y * picture->height / panel.points_down,
                     bottom = (y + 1) * picture->height / panel.points_down;
            unsigned sums[CHANNELS] = {0}, count = 0;
            right = right > left ? right : left + 1;
            bottom = bottom > top ? bottom : top + 1;
            for (unsigned row = top; row < bottom; ++row)
                for (unsigned column = left; column < right; ++column, ++count)
                    for (unsigned i = 0; i < CHANNELS; ++i)
                        sums[i] += picture->points[((size_t)row * picture->width + column) * CHANNELS + i];
            for (unsigned i = 0; i < CHANNELS; ++i)
                panel.points[(y * panel.points_across + x) * CHANNELS + i] = (uint8_t)(sums[i] / count);
        }
}

void panel_picture(const struct ta_picture *picture, const struct ta_texts *texts, unsigned turns) {
    if (!panel.open || !panel.colour || !panel.unicode || panel.rows < CONSOLE_ROWS + 4)
        return;
    if (!panel.points_down || panel.seen_width != picture->width || panel.seen_height != picture->height) {
        unsigned rows = MIN(panel.rows - CONSOLE_ROWS, PICTURE_ROWS);
        unsigned across = 2 * rows * picture->width / picture->height;
        bool taken = panel.points_down == 2 * rows;
        panel.seen_width = picture->width;
        panel.seen_height = picture->height;
        panel.points_down = 2 * rows;
        panel.points_across = CLAMP(across, 1, MIN(panel.columns, PICTURE_COLUMNS));
        if (!taken)
            take_lines(rows + panel.least);
    }
    panel.turns = turns;
    shrink(picture);
    print_picture(texts);
}

void panel_show(const struct ta_board *board) {
    if (!panel.open)
        return;
    if (panel.resized) {
        panel.resized = 0;
        panel.points_down = 0; /* until the next picture comes */
        take_lines(panel.least);
        panel.changed = true;
    }
    if (!panel.rows || g_get_monotonic_time() - panel.drawn_us < REDRAW_US)
        return;
    g_autofree char *status = status_text(board);
    bool other = !panel.status || strcmp(status, panel.status);
    g_free(panel.status);
    panel.status = g_steal_pointer(&status);
    if (desk_changed() || other || panel.changed)
        draw();
}

void panel_close(bool flush) {
    static const char give_back[] = "\0337\033[r\0338";
    if (!panel.open)
        return;
    panel.open = 0;
    if (flush)
        fflush(stdout);
    ssize_t written = write(STDOUT_FILENO, panel.clear, strlen(panel.clear));
    written = write(STDOUT_FILENO, give_back, sizeof give_back - 1);
    (void)written; /* a terminal that is gone needs nothing back */
}
