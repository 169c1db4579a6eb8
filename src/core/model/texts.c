#include "tameanchor/texts.h"

#include <stdbool.h>
#include <string.h>

/* Where a box begins, and where it ends, from bit SHIFT on: 0 across, 16 down. */
static uint64_t begin_of(uint64_t box, unsigned shift) {
    return box >> shift & 0xffff;
}

static uint64_t end_of(uint64_t box, unsigned shift) {
    return begin_of(box, shift) + (box >> (32 + shift) & 0xffff);
}

static bool meet(uint64_t a, uint64_t b) {
    return begin_of(a, 0) < end_of(b, 0) && begin_of(b, 0) < end_of(a, 0) && begin_of(a, 16) < end_of(b, 16) &&
           begin_of(b, 16) < end_of(a, 16);
}

void ta_texts_take(struct ta_texts *texts, const struct ta_event *event) {
    size_t kept = 0;
    for (size_t i = 0; i < texts->count; ++i)
        if (!meet(texts->items[i].box, event->value))
            texts->items[kept++] = texts->items[i];
    texts->count = kept;
    if (!event->length || event->length > TA_EVENT_TEXT_BYTES)
        return;
    if (texts->count == TA_TEXTS)
        memmove(texts->items, texts->items + 1, --texts->count * sizeof *texts->items);
    struct ta_text *text = &texts->items[texts->count++];
    text->box = event->value;
    text->length = event->length;
    memcpy(text->text, event->bytes, event->length);
    text->text[event->length] = '\0';
}
