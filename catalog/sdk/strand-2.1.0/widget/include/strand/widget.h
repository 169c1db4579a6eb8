/* Widgets: labels, buttons, sliders, switches and lists on a page, which a finger uses. What changed is drawn anew, and nothing else. Page and
   widgets are the program's, and so are the texts; nothing is allocated. */
#ifndef STRAND_WIDGET_H
#define STRAND_WIDGET_H

#include <strand/draw.h>
#include <strand/touch.h>

enum strand_widget_kind { STRAND_LABEL, STRAND_BUTTON, STRAND_SLIDER, STRAND_SWITCH, STRAND_LIST };

/* X, Y, WIDTH and HEIGHT are points of the canvas. TEXT stands on a label or a button, and beside a switch. VALUE is, of a button, how often it
   was pressed; of a slider 0 to MOST; of a switch 0 or 1; of a list the row that is chosen of COUNT ROWS, or -1. FIRST is the row at a list's
   top. What stands below is the component's own, and begins as 0. */
struct strand_widget {
    enum strand_widget_kind kind;
    int x, y, width, height;
    const char *text;
    int value, most;
    const char *const *rows;
    int count, first;
    int held, moved, stale;
};

struct strand_page {
    struct strand_canvas *canvas;
    struct strand_widget *widgets;
    int count;
    struct strand_widget *held;
    int stale;
};

/* A page of COUNT widgets on the screen's canvas, which is drawn whole when it is shown next. Call it again when the screen was turned or the
   widgets have moved. */
void strand_page_open(struct strand_page *page, struct strand_canvas *canvas, struct strand_widget *widgets, int count);

/* What a finger does, as the touch panel tells it. The widget that was used by that: a button that was let go, a slider that is elsewhere, a
   switch, a list of which a row was chosen; else 0. */
struct strand_widget *strand_page_touch(struct strand_page *page, struct strand_touch touch);

/* Shows what has changed since the last time. 0, or -1 when the screen refuses it. */
int strand_page_show(struct strand_page *page);

/* Another text, or a text whose letters have changed; another value, or row. */
void strand_widget_text(struct strand_widget *widget, const char *text);
void strand_widget_value(struct strand_widget *widget, int value);

#endif
