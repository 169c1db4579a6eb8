/* Fifty times a second: what the finger does, and what came by radio. Ten times a second: how the handset is held. */
#include "shelf.h"

#include <stdio.h>
#include <stdlib.h>
#include <strand/battery.h>
#include <strand/clock.h>
#include <strand/radio.h>
#include <strand/screen.h>
#include <strand/sensors.h>

enum { TICK_US = 20000, SLOW = 5, HALF_G = 500, LOW = 100, DARKEST = 40 };

static const char *const greetings[] = {"Good tide", "Good watch", "Safe landing"};
enum { GREETINGS = sizeof greetings / sizeof *greetings };

/* Quarter turns that keep the page upright; those of before when the handset lies flat. */
static unsigned turns_now(unsigned before) {
    struct strand_motion motion;
    if (strand_motion(&motion))
        return before;
    int x = motion.acceleration[0], y = motion.acceleration[1];
    if (abs(x) < HALF_G && abs(y) < HALF_G)
        return before;
    return abs(y) >= abs(x) ? (y > 0 ? 0 : 2) : x > 0 ? 1 : 3;
}

static void hear(struct strand_widget *news) {
    static char text[STRAND_MESSAGE_BYTES + 1];
    char next[sizeof text];
    while (strand_radio_next(next, sizeof next)) {
        printf("heard: %s\n", next);
        if (!shelf[LISTEN].value)
            continue;
        snprintf(text, sizeof text, "%s", next);
        strand_widget_text(news, text);
    }
}

static void use(const struct strand_widget *used) {
    static char message[40];
    if (used == &shelf[GREET]) {
        strand_widget_text(&shelf[GREETING], greetings[shelf[GREET].value % GREETINGS]);
        printf("greeting %d\n", shelf[GREET].value);
    } else if (used == &shelf[LIGHT]) {
        strand_screen_brightness((unsigned)(DARKEST + shelf[LIGHT].value * (255 - DARKEST) / 100));
        printf("light %d\n", shelf[LIGHT].value);
    } else if (used == &shelf[LISTEN]) {
        printf("listen %s\n", shelf[LISTEN].value ? "on" : "off");
    } else if (used == &shelf[PLACES]) {
        snprintf(message, sizeof message, "at %s", places[shelf[PLACES].value]);
        printf("place %d\n", shelf[PLACES].value);
        if (strand_radio_send(message))
            printf("the radio is busy\n");
    }
}

static void tell_charge(void) {
    static char text[24];
    static int told = -1;
    int charge = strand_battery().charge;
    if (charge == told)
        return;
    told = charge;
    snprintf(text, sizeof text, charge <= LOW ? "low: %d %%" : "charge %d %%", charge / 10);
    strand_widget_text(&shelf[CHARGE], text);
}

int main(void) {
    static struct strand_page page;
    struct strand_canvas *canvas = strand_screen_open();
    unsigned turns = 0;
    strand_touch_open();
    strand_radio_open();
    if (strand_sensors_open())
        printf("the sensors do not answer\n");
    strand_widget_text(&shelf[GREETING], greetings[0]);
    shelf_arrange(canvas->width, canvas->height);
    strand_page_open(&page, canvas, shelf, SHELF);
    printf("widget-shelf ready\n");
    uint64_t start_us = strand_clock_us();
    for (unsigned tick = 0;; ++tick) {
        strand_clock_sleep_until(start_us + (uint64_t)tick * TICK_US);
        unsigned now = tick % SLOW ? turns : turns_now(turns);
        if (now != turns) {
            turns = now;
            strand_screen_turn(turns);
            shelf_arrange(canvas->width, canvas->height);
            strand_page_open(&page, canvas, shelf, SHELF);
            printf("turned %u\n", turns);
        }
        for (struct strand_touch touch; (touch = strand_touch_next()).what;) {
            const struct strand_widget *used = strand_page_touch(&page, touch);
            if (used)
                use(used);
        }
        hear(&shelf[NEWS]);
        tell_charge();
        if (strand_page_show(&page))
            printf("the screen refuses the page\n");
    }
}
