#include "core/trial/stimuli.h"

#include <string.h>

static enum ta_status set_input(struct recorder *recorder, const char *name, uint64_t value) {
    return recorder->port->set_input(recorder->port->self, name, value, recorder->why);
}

/* The levels that lamps have before the program runs count too. */
enum ta_status act_power_on(struct recorder *recorder, const struct statement *statement) {
    struct ta_port *port = recorder->port;
    const struct ta_profile *profile = NULL;
    enum ta_status status = port->power(port->self, true, recorder->why);
    (void)statement;
    if (!status)
        status = port->describe(port->self, &profile, recorder->why);
    recorder_begin(recorder);
    for (size_t i = 0; !status && i < profile->connector_count; ++i) {
        uint64_t level = 0;
        if (profile->connectors[i].kind != TA_CONNECTOR_LAMPS || !(port->capabilities & TA_CAN_OUTPUT))
            continue;
        status = port->read_output(port->self, profile->connectors[i].name, &level, recorder->why);
        if (!status)
            status = recorder_add_shown(recorder, profile->connectors[i].name, level);
    }
    return status ? status : port->resume(port->self, recorder->why);
}

enum ta_status act_power_off(struct recorder *recorder, const struct statement *statement) {
    (void)statement;
    return recorder->port->power(recorder->port->self, false, recorder->why);
}

enum ta_status act_reset(struct recorder *recorder, const struct statement *statement) {
    struct ta_port *port = recorder->port;
    enum ta_status status = port->reset(port->self, recorder->why);
    (void)statement;
    recorder->stopped = recorder->trapped = false;
    return status ? status : port->resume(port->self, recorder->why);
}

enum ta_status act_press(struct recorder *recorder, const struct statement *statement) {
    enum ta_status status = set_input(recorder, statement->name, 1);
    if (!status)
        status = recorder_pass(recorder, statement->time_ns);
    return status ? status : set_input(recorder, statement->name, 0);
}

enum ta_status act_hold(struct recorder *recorder, const struct statement *statement) {
    return set_input(recorder, statement->name, 1);
}

enum ta_status act_release(struct recorder *recorder, const struct statement *statement) {
    return set_input(recorder, statement->name, 0);
}

enum ta_status act_type(struct recorder *recorder, const struct statement *statement) {
    struct ta_port *port = recorder->port;
    return port->type(port->self, statement->text, statement->text_length, false, recorder->why);
}

enum ta_status act_wait(struct recorder *recorder, const struct statement *statement) {
    enum ta_status status = recorder_pass(recorder, statement->time_ns);
    recorder_look_from_here(recorder);
    return status;
}
