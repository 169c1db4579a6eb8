#include "shelf.h"

const char *const places[] = {"Mill Creek", "Heron Bank", "Long Sluice", "Salt Stairs", "Ferry Steps", "Gull Point"};
enum { PLACE_COUNT = sizeof places / sizeof *places };

struct strand_widget shelf[SHELF] = {
    [GREETING] = {.kind = STRAND_LABEL, .text = ""},
    [GREET] = {.kind = STRAND_BUTTON, .text = "Greet"},
    [LIGHT] = {.kind = STRAND_SLIDER, .value = 100, .most = 100},
    [LISTEN] = {.kind = STRAND_SWITCH, .text = "Listen", .value = 1},
    [NEWS] = {.kind = STRAND_LABEL, .text = "no news"},
    [PLACES] = {.kind = STRAND_LIST, .value = -1, .rows = places, .count = PLACE_COUNT},
    [CHARGE] = {.kind = STRAND_LABEL, .text = ""},
};

void shelf_arrange(int width, int height) {
    enum { GAP = 7, HIGH = 28, LIST_HIGH = 4 * 22 };
    const int wide = width > height, across = width - 2 * GAP, column = (width - 3 * GAP) / 2;
    int y = GAP;
    for (int i = 0; i < SHELF; ++i) {
        struct strand_widget *widget = &shelf[i];
        const int second = wide && i >= PLACES;
        widget->x = second ? column + 2 * GAP : GAP;
        widget->y = y = wide && i == PLACES ? GAP : y;
        widget->width = wide && i != NEWS ? column : across;
        widget->height = i == PLACES ? LIST_HIGH : HIGH;
        y += widget->height + GAP;
    }
}
