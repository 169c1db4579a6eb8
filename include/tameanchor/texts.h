/* The texts that a screen shows now, kept from its events. */
#ifndef TAMEANCHOR_TEXTS_H
#define TAMEANCHOR_TEXTS_H

#include "tameanchor/event.h"

#ifdef __cplusplus
extern "C" {
#endif

enum { TA_TEXTS = 64 };

/* COUNT of them, the one that was drawn last at the end; each with where it stands (TA_TEXT_BOX). Begins as zero. */
struct ta_texts {
    size_t count;
    struct ta_text {
        uint64_t box;
        size_t length;
        char text[TA_EVENT_TEXT_BYTES + 1];
    } items[TA_TEXTS];
};

/* Takes a TA_EVENT_TEXT: what its box reaches into is shown no more. Of more than there is room for, the oldest is forgotten. */
void ta_texts_take(struct ta_texts *texts, const struct ta_event *event);

#ifdef __cplusplus
}
#endif
#endif
