#include "tameanchor/library.h"

const char *ta_library_version(void) {
    return TA_VERSION_TEXT;
}

enum ta_status ta_library_check(unsigned major, unsigned minor, struct ta_problem *why) {
    const unsigned mine = TA_VERSION_MINOR;
    if (major == TA_VERSION_MAJOR && (major ? minor <= mine : minor == mine))
        return TA_OK;
    return ta_problem_set(why, TA_E_UNSUPPORTED, "compile the program against this library's headers",
                          "the program was made for version %u.%u, the library is %s", major, minor, TA_VERSION_TEXT);
}
