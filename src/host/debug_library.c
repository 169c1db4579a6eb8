#define DEBUG_LIBRARY_LOADS
#include "host/debug_library.h"

#include "host/late.h"

struct debug_library debug_library;

bool debug_library_load(void) {
    static const struct late_function functions[] = {
#define DEBUG_FUNCTION(name) {#name, (void **)&debug_library.name},
        DEBUG_CALLS(DEBUG_FUNCTION)
#undef DEBUG_FUNCTION
    };
    return late_load("libdw.so.1", functions, sizeof functions / sizeof *functions);
}
