#define ARCHIVE_LIBRARY_LOADS
#include "host/archive_library.h"

#include "host/late.h"

struct archive_library archive_library;

bool archive_library_load(void) {
    static const struct late_function functions[] = {
#define ARCHIVE_FUNCTION(name) {#name, (void **)&archive_library.name},
        ARCHIVE_CALLS(ARCHIVE_FUNCTION)
#undef ARCHIVE_FUNCTION
    };
    return late_load("libarchive.so.13", functions, sizeof functions / sizeof *functions);
}
