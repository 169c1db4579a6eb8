/* The texts that a screen shows, as the program's text component tells them. */
#include "core/trial/stimuli.h"

#include <string.h>

/* Where a box begins, and where it ends, from bit SHIFT on. */
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

/* What the new text, or the part that was drawn over, reaches into is there no more. */
enum ta_status recorder_add_text(struct recorder *recorder, const struct ta_event *event) {
    size_t kept = 0;
    for (size_t i = 0; i < recorder->text_count; ++i)
        if (!meet(recorder->texts[i].box, event->value))
            recorder->texts[kept++] = recorder->texts[i];
    recorder->text_count = kept;
    if (!event->length)
        return TA_OK;
    recorder->texts = arena_grow(recorder->arena, recorder->texts, recorder->text_count, &recorder->text_room,
                                 sizeof *recorder->texts);
    const char *text = arena_text_part(recorder->arena, (const char *)event->bytes, event->length);
    if (!recorder->texts || !text) {
        recorder->text_count = 0;
        return ta_problem_set(recorder->why, TA_E_MEMORY, NULL, "out of memory");
    }
    recorder->texts[recorder->text_count++] = (struct shown_text){event->value, text, event->length};
    return TA_OK;
}

/* One of the texts that are there now holds it. */
bool holds_shown_text(struct recorder *recorder, const struct statement *statement, bool last_call) {
    size_t length = statement->text_length;
    (void)last_call;
    for (size_t i = 0; i < recorder->text_count; ++i)
        for (size_t at = 0; at + length <= recorder->texts[i].length; ++at)
            if (!memcmp(recorder->texts[i].text + at, statement->text, length))
                return true;
    return false;
}

const char *describe_shown_text(const struct recorder *recorder, const struct statement *statement) {
    enum { SHOWN_AT_MOST = 12 };
    size_t from = recorder->text_count > SHOWN_AT_MOST ? recorder->text_count - SHOWN_AT_MOST : 0;
    struct text seen = {0};
    (void)statement;
    for (size_t i = from; i < recorder->text_count; ++i)
        text_printf(&seen, "%s\"%s\"", seen.length ? ", " : from ? "among others " : "", recorder->texts[i].text);
    const char *kept = arena_text(recorder->arena, seen.length ? seen.bytes : "no text that it tells of");
    text_free(&seen);
    return kept;
}
