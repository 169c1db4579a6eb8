#include "strand/draw.h"

#include "font.h"

#include <stdbool.h>

enum { ONE = 16384, TURN = 3600, QUARTER = 900 };

/* ONE times the sine of 0 to 90 degrees. */
static const int16_t sines[91] = {
    0,     286,   572,   857,   1143,  1428,  1713,  1997,  2280,  2563,  2845,  3126,  3406,  3686,  3964,  4240,
    4516,  4790,  5063,  5334,  5604,  5872,  6138,  6402,  6664,  6924,  7182,  7438,  7692,  7943,  8192,  8438,
    8682,  8923,  9162,  9397,  9630,  9860,  10087, 10311, 10531, 10749, 10963, 11174, 11381, 11585, 11786, 11982,
    12176, 12365, 12551, 12733, 12911, 13085, 13255, 13421, 13583, 13741, 13894, 14044, 14189, 14330, 14466, 14598,
    14726, 14849, 14968, 15082, 15191, 15296, 15396, 15491, 15582, 15668, 15749, 15826, 15897, 15964, 16026, 16083,
    16135, 16182, 16225, 16262, 16294, 16322, 16344, 16362, 16374, 16382, 16384,
};

static int wrapped(int angle) {
    angle %= TURN;
    return angle < 0 ? angle + TURN : angle;
}

/* Between two degrees on a straight line. */
static int sine_of(int angle) {
    angle = wrapped(angle);
    bool below = angle >= TURN / 2;
    int within = angle % (TURN / 2), mirrored = within > QUARTER ? TURN / 2 - within : within;
    int at = mirrored / 10, rest = mirrored % 10;
    int value = sines[at] + (rest ? (sines[at + 1] - sines[at]) * rest / 10 : 0);
    return below ? -value : value;
}

static int scaled(int sine, int length) {
    int64_t product = (int64_t)sine * length;
    return (int)((product + (product < 0 ? -ONE / 2 : ONE / 2)) / ONE);
}

int strand_sine(int angle, int length) {
    return scaled(sine_of(angle), length);
}

int strand_cosine(int angle, int length) {
    return scaled(sine_of(wrapped(angle) + QUARTER), length);
}

static int larger(int a, int b) {
    return a > b ? a : b;
}

static int smaller(int a, int b) {
    return a < b ? a : b;
}

void strand_canvas_open(struct strand_canvas *canvas, strand_colour *points, int width, int height) {
    *canvas = (struct strand_canvas){points, width, height, width, 0, 0, width, height, 0};
}

/* The end of a stretch, which may lie far outside. */
static int end_of(int from, int size) {
    return size > 0 && from > INT32_MAX - size ? INT32_MAX : from + size;
}

void strand_clip(struct strand_canvas *canvas, int x, int y, int width, int height) {
    canvas->left = larger(x, 0);
    canvas->top = larger(y, 0);
    canvas->right = smaller(end_of(x, width), canvas->width);
    canvas->bottom = smaller(end_of(y, height), canvas->height);
}

static void fill(struct strand_canvas *canvas, int x, int y, int width, int height, strand_colour colour) {
    int right = smaller(end_of(x, width), canvas->right), bottom = smaller(end_of(y, height), canvas->bottom);
    for (int row = larger(y, canvas->top); row < bottom; ++row)
        for (int column = larger(x, canvas->left); column < right; ++column)
            canvas->points[row * canvas->stride + column] = colour;
}

void strand_fill(struct strand_canvas *canvas, int x, int y, int width, int height, strand_colour colour) {
    int left = larger(x, canvas->left), right = smaller(end_of(x, width), canvas->right);
    int top = larger(y, canvas->top), bottom = smaller(end_of(y, height), canvas->bottom);
    fill(canvas, x, y, width, height, colour);
    if (canvas->tell && left < right && top < bottom)
        canvas->tell(left, top, right - left, bottom - top, "", 0);
}

static int root(int square) {
    int value = 0;
    for (int step = 1 << 15; step; step >>= 1)
        if ((int64_t)(value + step) * (value + step) <= square)
            value += step;
    return value;
}

/* Row by row, each as long as the circle is wide there. */
void strand_disc(struct strand_canvas *canvas, int x, int y, int radius, strand_colour colour) {
    for (int row = larger(-radius, canvas->top - y); row <= smaller(radius, canvas->bottom - 1 - y); ++row) {
        int half = root(radius * radius - row * row);
        fill(canvas, x - half, y + row, 2 * half + 1, 1, colour);
    }
}

/* A brush of that size at each point of the way. */
void strand_line(struct strand_canvas *canvas, int x0, int y0, int x1, int y1, int thick, strand_colour colour) {
    int across = x1 > x0 ? x1 - x0 : x0 - x1, down = y1 > y0 ? y1 - y0 : y0 - y1;
    int steps = larger(across, down);
    for (int i = 0; i <= steps; ++i) {
        int x = steps ? x0 + (int)(((int64_t)(x1 - x0) * 2 * i + (x1 < x0 ? -steps : steps)) / (2 * steps)) : x0;
        int y = steps ? y0 + (int)(((int64_t)(y1 - y0) * 2 * i + (y1 < y0 ? -steps : steps)) / (2 * steps)) : y0;
        if (thick <= 2)
            fill(canvas, x, y, larger(thick, 1), larger(thick, 1), colour);
        else
            strand_disc(canvas, x, y, thick / 2, colour);
    }
}

/* Whether the point right of the centre by X and above it by Y is past ANGLE, seen clockwise within half a turn. */
static bool is_past(int x, int y, int angle) {
    return (int64_t)x * sine_of(angle + QUARTER) - (int64_t)y * sine_of(angle) >= 0;
}

static bool is_between(int x, int y, int from, int to) {
    int sweep = wrapped(to - from);
    bool past = is_past(x, y, from), before = !is_past(x, y, to);
    return sweep == 0 || (sweep <= TURN / 2 ? past && before : past || before);
}

void strand_arc(struct strand_canvas *canvas, int x, int y, int radius, int thick, int from, int to,
                strand_colour colour) {
    int inner = larger(radius - thick, 0), outer = radius * radius;
    for (int row = larger(-radius, canvas->top - y); row <= smaller(radius, canvas->bottom - 1 - y); ++row)
        for (int column = larger(-radius, canvas->left - x); column <= smaller(radius, canvas->right - 1 - x);
             ++column) {
            int distance = row * row + column * column;
            if (distance <= outer && distance >= inner * inner && is_between(column, -row, from, to))
                canvas->points[(y + row) * canvas->stride + x + column] = colour;
        }
}

static void draw_letter(struct strand_canvas *canvas, int x, int y, int scale, char letter, strand_colour colour) {
    int at = (unsigned char)letter - STRAND_FONT_FIRST;
    const uint8_t *rows = strand_font[at >= 0 && at < STRAND_FONT_GLYPHS ? at : '?' - STRAND_FONT_FIRST];
    for (int row = 0; row < STRAND_FONT_HEIGHT; ++row)
        for (int column = 0; column < STRAND_FONT_WIDTH; ++column)
            if (rows[row] >> (STRAND_FONT_WIDTH - 1 - column) & 1)
                fill(canvas, x + column * scale, y + row * scale, scale, scale, colour);
}

/* The letters that are there to be read, from the first one that is whole to the last. */
static void tell_text(const struct strand_canvas *canvas, int x, int y, int scale, const char *text) {
    const int step = STRAND_LETTER_WIDTH * scale, wide = step - scale, high = STRAND_LETTER_HEIGHT * scale;
    if (!canvas->tell || y < canvas->top || y + high > canvas->bottom)
        return;
    for (; *text && x < canvas->left; ++text)
        x += step;
    int length = 0;
    while (text[length] && x + length * step + wide <= canvas->right)
        ++length;
    if (length)
        canvas->tell(x, y, length * step - scale, high, text, length);
}

void strand_text(struct strand_canvas *canvas, int x, int y, int scale, const char *text, strand_colour colour) {
    tell_text(canvas, x, y, scale, text);
    for (; *text; ++text, x += STRAND_LETTER_WIDTH * scale)
        draw_letter(canvas, x, y, scale, *text, colour);
}

int strand_text_width(const char *text, int scale) {
    int letters = 0;
    while (text[letters])
        ++letters;
    return letters ? (letters * STRAND_LETTER_WIDTH - 1) * scale : 0;
}
