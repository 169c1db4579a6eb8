/* Any text as what a compiler says: only its colours are taken out, and each message has its place and severity. */
#include "core/plan/messages.h"

#include "base/text.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    struct arena *arena = arena_new();
    char *text = arena_alloc(arena, size + 1); /* ends with 0 */
    size_t count = 0, kept = 0;
    if (size)
        memcpy(text, data, size);
    const struct message *messages = messages_read(arena, text, &count);
    const char *plain = messages_plain(arena, text);
    for (const char *at = text; *at;) {
        size_t colour = text_colour(at);
        if (colour > strlen(at) || (!colour && plain[kept++] != *at))
            abort();
        at += colour ? colour : 1;
    }
    if (plain[kept])
        abort();
    for (size_t i = 0; i < count; ++i)
        if (!messages[i].file || !messages[i].text || messages[i].severity > SEVERITY_ERROR)
            abort();
    arena_free(arena);
    return 0;
}
