#include "host/picture.h"

#include "base/text.h"
#include "host/files.h"
#include "host/late.h"

#include <cairo.h>
#include <glib.h>
#include <stdio.h>
#include <string.h>

/* What of cairo is used. */
static struct {
    cairo_surface_t *(*surface_new)(cairo_format_t, int, int);
    cairo_t *(*new)(cairo_surface_t *);
    void (*free)(cairo_t *);
    void (*surface_free)(cairo_surface_t *);
    void (*colour)(cairo_t *, double, double, double);
    void (*paint)(cairo_t *);
    void (*rectangle)(cairo_t *, double, double, double, double);
    void (*fill_kept)(cairo_t *);
    void (*stroke)(cairo_t *);
    void (*line_width)(cairo_t *, double);
    void (*move)(cairo_t *, double, double);
    void (*line)(cairo_t *, double, double);
    void (*font)(cairo_t *, const char *, cairo_font_slant_t, cairo_font_weight_t);
    void (*font_size)(cairo_t *, double);
    void (*extents)(cairo_t *, const char *, cairo_text_extents_t *);
    void (*show)(cairo_t *, const char *);
    cairo_status_t (*write)(cairo_surface_t *, cairo_write_func_t, void *);
} cairo;

static const double colours[PAINTS][3] = {
    [PAINT_INK] = {0.13, 0.16, 0.20},   [PAINT_PALE] = {0.72, 0.75, 0.79}, [PAINT_DONE] = {0.91, 0.94, 0.92},
    [PAINT_TO_DO] = {1.00, 0.85, 0.54}, [PAINT_FREE] = {0.95, 0.96, 0.97}, [PAINT_USED] = {0.36, 0.58, 0.72},
    [PAINT_MORE] = {0.90, 0.55, 0.36},  [PAINT_LESS] = {0.47, 0.71, 0.52}};

struct picture {
    cairo_surface_t *surface;
    cairo_t *pen;
};

static bool has_library(void) {
    static const struct late_function functions[] = {{"cairo_image_surface_create", (void **)&cairo.surface_new},
                                                     {"cairo_create", (void **)&cairo.new},
                                                     {"cairo_destroy", (void **)&cairo.free},
                                                     {"cairo_surface_destroy", (void **)&cairo.surface_free},
                                                     {"cairo_set_source_rgb", (void **)&cairo.colour},
                                                     {"cairo_paint", (void **)&cairo.paint},
                                                     {"cairo_rectangle", (void **)&cairo.rectangle},
                                                     {"cairo_fill_preserve", (void **)&cairo.fill_kept},
                                                     {"cairo_stroke", (void **)&cairo.stroke},
                                                     {"cairo_set_line_width", (void **)&cairo.line_width},
                                                     {"cairo_move_to", (void **)&cairo.move},
                                                     {"cairo_line_to", (void **)&cairo.line},
                                                     {"cairo_select_font_face", (void **)&cairo.font},
                                                     {"cairo_set_font_size", (void **)&cairo.font_size},
                                                     {"cairo_text_extents", (void **)&cairo.extents},
                                                     {"cairo_show_text", (void **)&cairo.show},
                                                     {"cairo_surface_write_to_png_stream", (void **)&cairo.write}};
    return late_load("libcairo.so.2", functions, G_N_ELEMENTS(functions));
}

enum ta_status picture_new(unsigned width, unsigned height, struct picture **result, struct ta_problem *why) {
    *result = NULL;
    if (!has_library())
        return ta_problem_set(why, TA_E_SYSTEM, "sudo apt-get install libcairo2",
                              "pictures need cairo, which is not installed");
    struct picture *picture = g_new0(struct picture, 1);
    picture->surface = cairo.surface_new(CAIRO_FORMAT_RGB24, (int)width, (int)height);
    picture->pen = cairo.new(picture->surface);
    cairo.colour(picture->pen, 1, 1, 1);
    cairo.paint(picture->pen);
    cairo.line_width(picture->pen, 1);
    cairo.font(picture->pen, "sans-serif", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
    *result = picture;
    return TA_OK;
}

static void take(struct picture *picture, enum paint paint) {
    cairo.colour(picture->pen, colours[paint][0], colours[paint][1], colours[paint][2]);
}

void picture_box(struct picture *picture, double x, double y, double width, double height, enum paint fill) {
    take(picture, fill);
    cairo.rectangle(picture->pen, x + 0.5, y + 0.5, width, height);
    cairo.fill_kept(picture->pen);
    take(picture, PAINT_PALE);
    cairo.stroke(picture->pen);
}

void picture_line(struct picture *picture, double x1, double y1, double x2, double y2, enum paint paint) {
    take(picture, paint);
    cairo.move(picture->pen, x1, y1);
    cairo.line(picture->pen, x2, y2);
    cairo.stroke(picture->pen);
}

static double width_of(struct picture *picture, const char *text) {
    cairo_text_extents_t extents;
    cairo.extents(picture->pen, text, &extents);
    return extents.x_advance;
}

void picture_text(struct picture *picture, double x, double y, double width, double size, bool right,
                  const char *text) {
    struct text safe = {0};
    text_add_shown(&safe, text, strlen(text), false, true); /* valid UTF-8, which cairo wants */
    g_autoptr(GString) shown = g_string_new(safe.bytes ? safe.bytes : "");
    text_free(&safe);
    cairo.font_size(picture->pen, size);
    for (size_t length = shown->len; length && width_of(picture, shown->str) > width;) {
        const char *before = g_utf8_find_prev_char(shown->str, shown->str + length);
        length = before ? (size_t)(before - shown->str) : 0;
        g_string_truncate(shown, length);
        g_string_append(shown, "\u2026");
    }
    take(picture, PAINT_INK);
    cairo.move(picture->pen, right ? x - width_of(picture, shown->str) : x, y);
    cairo.show(picture->pen, shown->str);
}

static cairo_status_t add_bytes(void *with, const unsigned char *bytes, unsigned length) {
    g_byte_array_append(with, bytes, length);
    return CAIRO_STATUS_SUCCESS;
}

enum ta_status picture_write(struct picture *picture, const char *path, struct ta_problem *why) {
    g_autoptr(GByteArray) bytes = g_byte_array_new();
    cairo_status_t written = cairo.write(picture->surface, add_bytes, bytes);
    cairo.free(picture->pen);
    cairo.surface_free(picture->surface);
    g_free(picture);
    return written ? ta_problem_set(why, TA_E_SYSTEM, "make it smaller", "the picture cannot be made")
                   : file_write_named(path, bytes->data, bytes->len, why);
}
