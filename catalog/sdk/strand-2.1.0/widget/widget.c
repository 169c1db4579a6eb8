#include "strand/widget.h"

#include <strand/screen.h>

enum { SCALE = 2, MARGIN = 6, ROW = 22, KNOB = 9, EDGE = 2 };

static const strand_colour paper = STRAND_RGB(16, 24, 40), ink = STRAND_RGB(232, 240, 248);
static const strand_colour plain = STRAND_RGB(48, 72, 104), edge = STRAND_RGB(104, 136, 176);
static const strand_colour lit = STRAND_RGB(248, 184, 56), dark = STRAND_RGB(16, 24, 40);

static int within(int value, int least, int most) {
    return value < least ? least : value > most ? most : value;
}

static int is_inside(const struct strand_widget *widget, int x, int y) {
    return x >= widget->x && x < widget->x + widget->width && y >= widget->y && y < widget->y + widget->height;
}

static void change(struct strand_widget *widget, int *what, int value) {
    widget->stale |= *what != value;
    *what = value;
}

/* In the middle of the widget's height. */
static void write_text(struct strand_canvas *canvas, const struct strand_widget *widget, int x, const char *text,
                       strand_colour colour) {
    strand_text(canvas, x, widget->y + (widget->height - STRAND_LETTER_HEIGHT * SCALE) / 2, SCALE, text, colour);
}

static void draw_label(struct strand_canvas *canvas, const struct strand_widget *widget) {
    write_text(canvas, widget, widget->x, widget->text, ink);
}

static void draw_button(struct strand_canvas *canvas, const struct strand_widget *widget) {
    strand_fill(canvas, widget->x, widget->y, widget->width, widget->height, edge);
    strand_fill(canvas, widget->x + EDGE, widget->y + EDGE, widget->width - 2 * EDGE, widget->height - 2 * EDGE,
                widget->held ? lit : plain);
    write_text(canvas, widget, widget->x + (widget->width - strand_text_width(widget->text, SCALE)) / 2, widget->text,
               widget->held ? dark : ink);
}

/* How far its knob can go. */
static int slider_way(const struct strand_widget *widget) {
    int way = widget->width - 2 * KNOB;
    return way > 1 ? way : 1;
}

static void draw_slider(struct strand_canvas *canvas, const struct strand_widget *widget) {
    int middle = widget->y + widget->height / 2, left = widget->x + KNOB, way = slider_way(widget);
    int at = widget->most > 0 ? way * within(widget->value, 0, widget->most) / widget->most : 0;
    strand_fill(canvas, left, middle - 3, way, 6, plain);
    strand_fill(canvas, left, middle - 3, at, 6, lit);
    strand_disc(canvas, left + at, middle, KNOB, edge);
    strand_disc(canvas, left + at, middle, KNOB - EDGE, widget->held ? lit : ink);
}

static void draw_switch(struct strand_canvas *canvas, const struct strand_widget *widget) {
    int middle = widget->y + widget->height / 2, left = widget->x + KNOB, right = left + 2 * KNOB;
    strand_line(canvas, left, middle, right, middle, 2 * KNOB, widget->value ? lit : plain);
    strand_disc(canvas, widget->value ? right : left, middle, KNOB - EDGE, ink);
    write_text(canvas, widget, right + KNOB + MARGIN, widget->text, ink);
}

/* How many rows of a list are seen whole. */
static int rows_seen(const struct strand_widget *widget) {
    return widget->height / ROW;
}

static void draw_list(struct strand_canvas *canvas, const struct strand_widget *widget) {
    strand_fill(canvas, widget->x, widget->y, widget->width, widget->height, plain);
    for (int i = 0; i < rows_seen(widget) && widget->first + i < widget->count; ++i) {
        int row = widget->first + i, top = widget->y + i * ROW, chosen = row == widget->value;
        if (chosen)
            strand_fill(canvas, widget->x, top, widget->width, ROW, lit);
        strand_text(canvas, widget->x + MARGIN, top + (ROW - STRAND_LETTER_HEIGHT * SCALE) / 2, SCALE,
                    widget->rows[row], chosen ? dark : ink);
    }
    if (widget->count > rows_seen(widget)) { /* where in the list this is */
        int whole = widget->height * rows_seen(widget) / widget->count;
        strand_fill(canvas, widget->x + widget->width - 3, widget->y + widget->height * widget->first / widget->count,
                    3, whole, edge);
    }
}

/* The finger is put down, or drawn, at X, Y; is lifted there. 1 when the widget was used by that. */
static int hold(struct strand_widget *widget, int x, int y) {
    change(widget, &widget->held, is_inside(widget, x, y));
    return 0;
}

static int hold_slider(struct strand_widget *widget, int x, int y) {
    int before = widget->value, way = slider_way(widget);
    (void)y;
    change(widget, &widget->held, 1);
    change(widget, &widget->value, (within(x - widget->x - KNOB, 0, way) * widget->most + way / 2) / way);
    return widget->value != before;
}

/* A list goes with the finger; MOVED is the row that the finger took hold of, and one more. */
static int hold_list(struct strand_widget *widget, int x, int y) {
    int at = (y - widget->y) / ROW, last = widget->count - rows_seen(widget);
    (void)x;
    if (!widget->held)
        widget->moved = 0;
    widget->held = widget->held ? widget->held : widget->first + at + 1;
    int first = within(widget->held - 1 - at, 0, last > 0 ? last : 0);
    widget->moved |= first != widget->first;
    change(widget, &widget->first, first);
    return 0;
}

static int lift_button(struct strand_widget *widget, int x, int y) {
    change(widget, &widget->held, 0);
    widget->value += is_inside(widget, x, y);
    return is_inside(widget, x, y);
}

static int lift_slider(struct strand_widget *widget, int x, int y) {
    (void)x;
    (void)y;
    change(widget, &widget->held, 0);
    return 0;
}

static int lift_switch(struct strand_widget *widget, int x, int y) {
    int used = is_inside(widget, x, y);
    change(widget, &widget->held, 0);
    change(widget, &widget->value, used ? !widget->value : widget->value);
    return used;
}

static int lift_list(struct strand_widget *widget, int x, int y) {
    int row = widget->first + (y - widget->y) / ROW;
    int used =
        is_inside(widget, x, y) && !widget->moved && row < widget->first + rows_seen(widget) && row < widget->count;
    widget->held = 0;
    change(widget, &widget->value, used ? row : widget->value);
    return used;
}

static const struct {
    void (*draw)(struct strand_canvas *canvas, const struct strand_widget *widget);
    int (*hold)(struct strand_widget *widget, int x, int y);
    int (*lift)(struct strand_widget *widget, int x, int y);
} kinds[] = {
    [STRAND_LABEL] = {draw_label, 0, 0},
    [STRAND_BUTTON] = {draw_button, hold, lift_button},
    [STRAND_SLIDER] = {draw_slider, hold_slider, lift_slider},
    [STRAND_SWITCH] = {draw_switch, hold, lift_switch},
    [STRAND_LIST] = {draw_list, hold_list, lift_list},
};

void strand_page_open(struct strand_page *page, struct strand_canvas *canvas, struct strand_widget *widgets,
                      int count) {
    if (page->held)
        page->held->held = 0;
    *page = (struct strand_page){canvas, widgets, count, 0, 1};
}

struct strand_widget *strand_page_touch(struct strand_page *page, struct strand_touch touch) {
    struct strand_widget *widget = page->held;
    int used = 0;
    strand_screen_point(&touch.x, &touch.y);
    for (int i = 0; touch.what == STRAND_PRESS && i < page->count; ++i)
        if (kinds[page->widgets[i].kind].hold && is_inside(&page->widgets[i], touch.x, touch.y))
            widget = page->held = &page->widgets[i];
    if (!widget || !touch.what)
        return 0;
    if (touch.what == STRAND_RELEASE)
        page->held = 0;
    used = touch.what == STRAND_RELEASE ? kinds[widget->kind].lift(widget, touch.x, touch.y)
                                        : kinds[widget->kind].hold(widget, touch.x, touch.y);
    return used ? widget : 0;
}

static void draw(struct strand_canvas *canvas, struct strand_widget *widget) {
    strand_clip(canvas, widget->x, widget->y, widget->width, widget->height);
    strand_fill(canvas, widget->x, widget->y, widget->width, widget->height, paper);
    kinds[widget->kind].draw(canvas, widget);
    strand_clip(canvas, 0, 0, canvas->width, canvas->height);
    widget->stale = 0;
}

int strand_page_show(struct strand_page *page) {
    struct strand_canvas *canvas = page->canvas;
    int whole = page->stale, refused = 0;
    if (whole)
        strand_fill(canvas, 0, 0, canvas->width, canvas->height, paper);
    for (int i = 0; i < page->count; ++i) {
        struct strand_widget *widget = &page->widgets[i];
        if (!whole && !widget->stale)
            continue;
        draw(canvas, widget);
        if (!whole)
            refused |= strand_screen_refresh(widget->x, widget->y, widget->width, widget->height);
    }
    page->stale = 0;
    return whole ? strand_screen_refresh_all() : refused;
}

void strand_widget_text(struct strand_widget *widget, const char *text) {
    widget->text = text;
    widget->stale = 1;
}

void strand_widget_value(struct strand_widget *widget, int value) {
    change(widget, &widget->value, value);
}
