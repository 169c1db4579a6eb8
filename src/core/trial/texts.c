/* The texts that a screen shows, as the program's text component tells them. */
#include "core/trial/stimuli.h"

#include <string.h>

/* One of the texts that are there now holds it. */
bool holds_shown_text(struct recorder *recorder, const struct statement *statement, bool last_call) {
    size_t length = statement->text_length;
    (void)last_call;
    for (size_t i = 0; i < recorder->board->texts->count; ++i)
        for (size_t at = 0; at + length <= recorder->board->texts->items[i].length; ++at)
            if (!memcmp(recorder->board->texts->items[i].text + at, statement->text, length))
                return true;
    return false;
}

const char *describe_shown_text(const struct recorder *recorder, const struct statement *statement) {
    enum { SHOWN_AT_MOST = 12 };
    size_t from = recorder->board->texts->count > SHOWN_AT_MOST ? recorder->board->texts->count - SHOWN_AT_MOST : 0;
    struct text seen = {0};
    (void)statement;
    for (size_t i = from; i < recorder->board->texts->count; ++i)
        text_printf(&seen, "%s\"%s\"",
                    seen.length ? ", "
                    : from      ? "among others "
                                : "",
                    recorder->board->texts->items[i].text);
    const char *kept = arena_text(recorder->arena, seen.length ? seen.bytes : "no text that it tells of");
    text_free(&seen);
    return kept;
}
