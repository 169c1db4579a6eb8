/* Any bytes as a depot's index: read, or refused with a problem; what was read is written and read again. */
#include "host/package_index.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    struct arena *arena = arena_new();
    struct offers offers, again;
    struct ta_problem why = {0};
    enum ta_status status = package_index_read((const char *)data, size, "x", arena, &offers, &why);
    if (status && (ta_status_exit_code(status) > 1 || !*why.what))
        abort();
    char *text = status ? NULL : package_index_write(&offers);
    if (text && (package_index_read(text, strlen(text), "x", arena, &again, &why) || again.count != offers.count))
        abort();
    free(text);
    arena_free(arena);
    return 0;
}
