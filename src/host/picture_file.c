#include "host/picture_file.h"

#include "host/files.h"
#include "host/late.h"

#include <cairo.h>
#include <glib.h>
#include <string.h>

enum { FILE_BYTES = 64 << 20, HEAD_BYTES = 24 };

/* What of cairo is used. */
static struct {
    cairo_surface_t *(*read)(cairo_read_func_t, void *);
    cairo_surface_t *(*surface_new)(cairo_format_t, int, int);
    cairo_surface_t *(*surface_over)(unsigned char *, cairo_format_t, int, int, int);
    void (*surface_free)(cairo_surface_t *);
    cairo_status_t (*status)(cairo_surface_t *);
    unsigned char *(*data)(cairo_surface_t *);
    int (*stride)(cairo_surface_t *);
    void (*flush)(cairo_surface_t *);
    cairo_t *(*new)(cairo_surface_t *);
    void (*free)(cairo_t *);
    void (*source)(cairo_t *, cairo_surface_t *, double, double);
    void (*paint)(cairo_t *);
    cairo_status_t (*write)(cairo_surface_t *, cairo_write_func_t, void *);
} cairo;

static enum ta_status need_library(struct ta_problem *why) {
    static const struct late_function functions[] = {
        {"cairo_image_surface_create_from_png_stream", (void **)&cairo.read},
        {"cairo_image_surface_create", (void **)&cairo.surface_new},
        {"cairo_image_surface_create_for_data", (void **)&cairo.surface_over},
        {"cairo_surface_destroy", (void **)&cairo.surface_free},
        {"cairo_surface_status", (void **)&cairo.status},
        {"cairo_image_surface_get_data", (void **)&cairo.data},
        {"cairo_image_surface_get_stride", (void **)&cairo.stride},
        {"cairo_surface_flush", (void **)&cairo.flush},
        {"cairo_create", (void **)&cairo.new},
        {"cairo_destroy", (void **)&cairo.free},
        {"cairo_set_source_surface", (void **)&cairo.source},
        {"cairo_paint", (void **)&cairo.paint},
        {"cairo_surface_write_to_png_stream", (void **)&cairo.write}};
    if (late_load("libcairo.so.2", functions, G_N_ELEMENTS(functions)))
        return TA_OK;
    return ta_problem_set(why, TA_E_SYSTEM, "sudo apt-get install libcairo2",
                          "pictures need cairo, which is not installed");
}

struct source {
    const char *bytes;
    size_t length;
};

static cairo_status_t take_bytes(void *with, unsigned char *bytes, unsigned length) {
    struct source *source = with;
    if (length > source->length)
        return CAIRO_STATUS_READ_ERROR;
    memcpy(bytes, source->bytes, length);
    source->bytes += length;
    source->length -= length;
    return CAIRO_STATUS_SUCCESS;
}

static guint32 number_at(const char *bytes) {
    guint32 number;
    memcpy(&number, bytes, sizeof number);
    return GUINT32_FROM_BE(number);
}

/* The size stands in the first chunk: what is too large is not unpacked. */
static enum ta_status check_head(const char *bytes, size_t length, const char *name, struct ta_problem *why) {
    static const char signature[] = "\x89PNG\r\n\x1a\n";
    if (length < HEAD_BYTES || memcmp(bytes, signature, 8) || memcmp(bytes + 12, "IHDR", 4))
        return ta_problem_set(why, TA_E_INPUT, "save the picture as PNG", "%s is no PNG picture", name);
    guint32 width = number_at(bytes + 16), height = number_at(bytes + 20);
    if (width > TA_PICTURE_MOST || height > TA_PICTURE_MOST)
        return ta_problem_set(why, TA_E_INPUT, "give a picture of the screen's size",
                              "%s has %u by %u points; 4096 by 4096 is the most", name, width, height);
    return TA_OK;
}

/* Whatever kind of points the file has, over black. */
static enum ta_status take_points(cairo_surface_t *surface, const char *bytes, struct ta_picture *picture) {
    enum ta_status status = ta_picture_make(picture, number_at(bytes + 16), number_at(bytes + 20));
    if (status)
        return status;
    cairo_surface_t *plain = cairo.surface_new(CAIRO_FORMAT_RGB24, (int)picture->width, (int)picture->height);
    cairo_t *pen = cairo.new(plain);
    cairo.source(pen, surface, 0, 0);
    cairo.paint(pen);
    cairo.flush(plain);
    for (unsigned y = 0; y < picture->height; ++y) {
        const unsigned char *row = cairo.data(plain) + (size_t)y * (size_t)cairo.stride(plain);
        uint8_t *to = picture->points + (size_t)y * picture->width * 3;
        for (unsigned x = 0; x < picture->width; ++x, to += 3) {
            guint32 point;
            memcpy(&point, row + 4 * x, sizeof point);
            to[0] = (uint8_t)(point >> 16);
            to[1] = (uint8_t)(point >> 8);
            to[2] = (uint8_t)point;
        }
    }
    cairo.free(pen);
    cairo.surface_free(plain);
    return TA_OK;
}

enum ta_status picture_read(const char *path, const char *name, struct ta_picture *picture, struct ta_problem *why) {
    g_autofree char *bytes = NULL;
    size_t length = 0;
    *picture = (struct ta_picture){0};
    enum ta_status status = file_read(path, FILE_BYTES, &bytes, &length, why);
    status = status ? status : check_head(bytes, length, name, why);
    status = status ? status : need_library(why);
    if (status)
        return status;
    cairo_surface_t *surface = cairo.read(take_bytes, &(struct source){bytes, length});
    if (cairo.status(surface))
        status = ta_problem_set(why, TA_E_INPUT, "save the picture again", "%s is a damaged PNG picture", name);
    else if (take_points(surface, bytes, picture))
        status = ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for %s", name);
    cairo.surface_free(surface);
    return status;
}

static cairo_status_t add_bytes(void *with, const unsigned char *bytes, unsigned length) {
    g_byte_array_append(with, bytes, length);
    return CAIRO_STATUS_SUCCESS;
}

enum ta_status picture_save(const struct ta_picture *picture, const char *path, struct ta_problem *why) {
    g_autoptr(GByteArray) file = g_byte_array_new();
    g_autofree guint32 *points = NULL;
    enum ta_status status = need_library(why);
    if (status)
        return status;
    points = g_new(guint32, (size_t)picture->width * picture->height);
    for (size_t i = 0; i < (size_t)picture->width * picture->height; ++i)
        points[i] = (guint32)picture->points[3 * i] << 16 | (guint32)picture->points[3 * i + 1] << 8 |
                    picture->points[3 * i + 2];
    cairo_surface_t *surface = cairo.surface_over((unsigned char *)points, CAIRO_FORMAT_RGB24, (int)picture->width,
                                                  (int)picture->height, (int)picture->width * 4);
    cairo_status_t written = cairo.write(surface, add_bytes, file);
    cairo.surface_free(surface);
    return written ? ta_problem_set(why, TA_E_SYSTEM, NULL, "the picture cannot be made")
                   : file_write_named(path, file->data, file->len, why);
}
