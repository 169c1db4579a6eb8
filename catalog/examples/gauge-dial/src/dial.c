#include "dial.h"

#include <stdio.h>

enum { X = 160, Y = 138, RADIUS = 112, THICK = 14, FACE = 92, NUMBERS = 80, NEEDLE = 64, HUB = 9 };
enum { FIRST = -1200, LAST = 1200, STEPS = 8, WORDS_Y = 192 }; /* angles in tenths of a degree from the top */

static const strand_colour night = STRAND_RGB(12, 24, 44), face = STRAND_RGB(20, 38, 66),
                           pale = STRAND_RGB(208, 220, 232), calm = STRAND_RGB(64, 168, 128),
                           high = STRAND_RGB(224, 152, 48), flood = STRAND_RGB(216, 64, 56);

static int angle_of(int range_cm, int level_cm) {
    int level = level_cm < 0 ? 0 : level_cm > range_cm ? range_cm : level_cm;
    return FIRST + (LAST - FIRST) * level / range_cm;
}

static void put_words(struct strand_canvas *canvas, int x, int y, int scale, const char *words, strand_colour colour) {
    strand_text(canvas, x - strand_text_width(words, scale) / 2, y - STRAND_LETTER_HEIGHT * scale / 2, scale, words,
                colour);
}

static void put_numbers(struct strand_canvas *canvas, int range_cm) {
    for (int i = 0; i <= STEPS; i += 2) {
        char words[16];
        int angle = FIRST + (LAST - FIRST) * i / STEPS;
        snprintf(words, sizeof words, "%d", range_cm * i / STEPS / 100);
        put_words(canvas, X + strand_sine(angle, NUMBERS), Y - strand_cosine(angle, NUMBERS), 2, words, pale);
    }
}

void dial_scale(struct strand_canvas *canvas, int range_cm) {
    char words[24];
    strand_fill(canvas, 0, 0, canvas->width, canvas->height, night);
    strand_disc(canvas, X, Y, FACE, face);
    strand_arc(canvas, X, Y, RADIUS, THICK, FIRST, angle_of(100, 70), calm);
    strand_arc(canvas, X, Y, RADIUS, THICK, angle_of(100, 70), angle_of(100, 90), high);
    strand_arc(canvas, X, Y, RADIUS, THICK, angle_of(100, 90), LAST, flood);
    for (int i = 0; i <= STEPS; ++i) {
        int angle = FIRST + (LAST - FIRST) * i / STEPS, inner = RADIUS - THICK - (i % 2 ? 2 : 6);
        strand_line(canvas, X + strand_sine(angle, inner), Y - strand_cosine(angle, inner),
                    X + strand_sine(angle, RADIUS), Y - strand_cosine(angle, RADIUS), 2, pale);
    }
    put_numbers(canvas, range_cm);
    strand_text(canvas, 8, 8, 1, "TIDE GAUGE", pale);
    snprintf(words, sizeof words, "0 TO %d M", range_cm / 100);
    strand_text(canvas, canvas->width - 8 - strand_text_width(words, 1), 8, 1, words, pale);
}

void dial_needle(struct strand_canvas *canvas, int range_cm, int level_cm) {
    char words[24];
    int angle = angle_of(range_cm, level_cm);
    strand_disc(canvas, X, Y, NEEDLE + 2, face);
    put_numbers(canvas, range_cm); /* the disc may have taken a corner of one */
    strand_line(canvas, X, Y, X + strand_sine(angle, NEEDLE), Y - strand_cosine(angle, NEEDLE), 5, pale);
    strand_disc(canvas, X, Y, HUB, pale);
    strand_fill(canvas, X - FACE, WORDS_Y, 2 * FACE + 1, canvas->height - WORDS_Y, night);
    snprintf(words, sizeof words, "%d.%02d m", level_cm / 100, level_cm % 100);
    put_words(canvas, X, WORDS_Y + 20, 3, words, level_cm > range_cm ? flood : pale);
}
