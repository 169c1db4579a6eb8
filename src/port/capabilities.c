/* What a port must be able to do, and the words for what it cannot. */
#include "tameanchor/port.h"

#define COUNT(array) (sizeof(array) / sizeof *(array))

enum ta_status ta_port_needs(const struct ta_port *port, uint32_t capabilities, struct ta_problem *why) {
    static const struct {
        uint32_t bit;
        const char *text;
    } table[] = {
#define ROW(name, bit, text) {name, text},
        TA_CAPABILITY_TABLE(ROW)
#undef ROW
    };
    if (port->version != TA_PORT_VERSION)
        return ta_problem_set(why, TA_E_UNSUPPORTED, "build the port against this library's port.h",
                              "the port has version %u, this library needs %d", (unsigned)port->version,
                              TA_PORT_VERSION);
    for (size_t i = 0; i < COUNT(table); ++i)
        if (capabilities & table[i].bit && !(port->capabilities & table[i].bit))
            return ta_problem_set(why, TA_E_UNSUPPORTED, "use a target whose port can",
                                  "the port to this target cannot %s", table[i].text);
    return TA_OK;
}
