#include "cli/texts.h"

#include <glib.h>
#include <stdbool.h>
#include <string.h>

enum { TEXTS = 64 };

struct place {
    unsigned x, y, width, height;
};

static struct {
    struct place at;
    char text[TA_EVENT_TEXT_BYTES + 1];
} texts[TEXTS];
static size_t count;

void texts_clear(void) {
    count = 0;
}

static struct place place_of(uint64_t box) {
    return (struct place){box & 0xffff, box >> 16 & 0xffff, box >> 32 & 0xffff, box >> 48 & 0xffff};
}

static bool meet(struct place a, struct place b) {
    return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

/* What it reaches into is there no more; of too many, the oldest. */
void texts_take(const struct ta_event *event) {
    struct place at = place_of(event->value);
    size_t kept = 0;
    for (size_t i = 0; i < count; ++i)
        if (!meet(texts[i].at, at))
            texts[kept++] = texts[i];
    count = kept;
    if (!event->length)
        return;
    if (count == TEXTS)
        memmove(texts, texts + 1, --count * sizeof *texts);
    texts[count].at = at;
    g_strlcpy(texts[count].text, (const char *)event->bytes, event->length + 1);
    ++count;
}

/* The middle of AT in a picture of WIDTH by HEIGHT points, as it is seen when that is turned to the left. */
static void middle(struct place at, unsigned width, unsigned height, unsigned turns, unsigned *x, unsigned *y) {
    unsigned across = at.x + at.width / 2, down = at.y + at.height / 2;
    switch (turns) {
    case 1: *x = down, *y = width - across; break;
    case 2: *x = width - across, *y = height - down; break;
    case 3: *x = height - down, *y = across; break;
    default: *x = across, *y = down; break;
    }
}

char *texts_in_row(unsigned row, unsigned rows, unsigned width, unsigned height, unsigned turns) {
    GString *line = g_string_new(NULL);
    unsigned seen_height = turns % 2 ? width : height, from = 0;
    for (;;) { /* the next one to the right */
        size_t next = count;
        unsigned next_x = 0;
        for (size_t i = 0; i < count; ++i) {
            unsigned x, y;
            middle(texts[i].at, width, height, turns, &x, &y);
            if (y * rows / (seen_height ? seen_height : 1) != row || x < from || (next < count && x >= next_x))
                continue;
            next = i;
            next_x = x;
        }
        if (next == count)
            return g_string_free(line, FALSE);
        g_string_append_printf(line, "%s%s", line->len ? "  " : "", texts[next].text);
        from = next_x + 1;
    }
}
