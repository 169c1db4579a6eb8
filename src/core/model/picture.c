#include "core/model/picture.h"

#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

enum { CHANNELS = 3 };

enum ta_status ta_picture_make(struct ta_picture *picture, unsigned width, unsigned height) {
    *picture = (struct ta_picture){0};
    if (!width || !height || width > TA_PICTURE_MOST || height > TA_PICTURE_MOST)
        return TA_E_INPUT;
    uint8_t *points = calloc((size_t)width * height, CHANNELS);
    if (!points)
        return TA_E_MEMORY;
    *picture = (struct ta_picture){width, height, points};
    return TA_OK;
}

void ta_picture_free(struct ta_picture *picture) {
    free(picture->points);
    *picture = (struct ta_picture){0};
}

static enum ta_status turn_left(struct ta_picture *picture) {
    struct ta_picture turned;
    const unsigned width = picture->width, height = picture->height;
    enum ta_status status = ta_picture_make(&turned, height, width);
    for (unsigned y = 0; !status && y < height; ++y)
        for (unsigned x = 0; x < width; ++x)
            memcpy(turned.points + ((size_t)(width - 1 - x) * height + y) * CHANNELS,
                   picture->points + ((size_t)y * width + x) * CHANNELS, CHANNELS);
    if (status)
        return status;
    ta_picture_free(picture);
    *picture = turned;
    return TA_OK;
}

enum ta_status ta_picture_turn(struct ta_picture *picture, unsigned quarters) {
    enum ta_status status = TA_OK;
    for (unsigned i = 0; !status && i < quarters % 4; ++i)
        status = turn_left(picture);
    return status;
}

static bool look_alike(const uint8_t *a, const uint8_t *b) {
    for (unsigned i = 0; i < CHANNELS; ++i)
        if (abs(a[i] - b[i]) > TA_PICTURE_TOLERANCE)
            return false;
    return true;
}

size_t ta_picture_compare(const struct ta_picture *a, const struct ta_picture *b, struct ta_picture *difference) {
    size_t count = 0, bytes = (size_t)a->width * a->height * CHANNELS;
    for (size_t at = 0; at < bytes; at += CHANNELS) {
        bool alike = look_alike(a->points + at, b->points + at);
        count += !alike;
        for (unsigned i = 0; difference && i < CHANNELS; ++i)
            difference->points[at + i] = !alike ? (i ? 0 : 230) : (uint8_t)(176 + b->points[at + i] / 4);
    }
    return count;
}

const struct ta_picture *picture_keep(struct arena *arena, const struct ta_picture *picture) {
    size_t bytes = (size_t)picture->width * picture->height * CHANNELS;
    struct ta_picture *kept = arena_alloc(arena, sizeof *kept);
    uint8_t *points = kept ? arena_alloc(arena, bytes) : NULL;
    if (!points)
        return NULL;
    memcpy(points, picture->points, bytes);
    *kept = (struct ta_picture){picture->width, picture->height, points};
    return kept;
}
