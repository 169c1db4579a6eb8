#include "cli/texts.h"

#include <glib.h>

/* The middle of BOX in a picture of WIDTH by HEIGHT points, as it is seen when that is turned to the left. */
static void middle(uint64_t box, unsigned width, unsigned height, unsigned turns, unsigned *x, unsigned *y) {
    unsigned across = (unsigned)((box & 0xffff) + (box >> 32 & 0xffff) / 2);
    unsigned down = (unsigned)((box >> 16 & 0xffff) + (box >> 48 & 0xffff) / 2);
    switch (turns) {
    case 1: *x = down, *y = width - across; break;
    case 2: *x = width - across, *y = height - down; break;
    case 3: *x = height - down, *y = across; break;
    default: *x = across, *y = down; break;
    }
}

char *texts_in_row(const struct ta_texts *texts, unsigned row, unsigned rows, unsigned width, unsigned height,
                   unsigned turns) {
    const unsigned seen_height = turns % 2 ? width : height;
    unsigned places[TA_TEXTS];
    size_t found[TA_TEXTS], count = 0;
    GString *line = g_string_new(NULL);
    for (size_t i = 0; i < texts->count; ++i) {
        unsigned x, y;
        size_t at = count;
        middle(texts->items[i].box, width, height, turns, &x, &y);
        if (!seen_height || y * rows / seen_height != row)
            continue;
        for (; at > 0 && places[at - 1] > x; --at) { /* what is further to the right makes room */
            places[at] = places[at - 1];
            found[at] = found[at - 1];
        }
        places[at] = x;
        found[at] = i;
        ++count;
    }
    for (size_t i = 0; i < count; ++i)
        g_string_append_printf(line, "%s%s", i ? "  " : "", texts->items[found[i]].text);
    return g_string_free(line, FALSE);
}
