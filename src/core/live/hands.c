/* What somebody does to a live target. */
#include "core/live/live.h"

#include <string.h>

enum ta_status live_remember(struct ta_live *live, const char *name, struct ta_problem *why) {
    const struct ta_profile *profile = live->state.board.profile;
    const struct ta_connector *connector = ta_profile_connector(profile, name);
    const struct ta_switch *each = connector ? NULL : ta_profile_switch(profile, name);
    uint64_t value = connector ? (uint64_t)ta_connector_start(connector) : 0;
    if (!connector && !each)
        return TA_OK; /* the port says what is wrong with it */
    for (size_t i = 0; i < live->touched_count; ++i)
        if (!strcmp(live->touched[i].name, name))
            return TA_OK;
    if (live->port->capabilities & TA_CAN_OUTPUT) { /* a port may know of an input only how to set it */
        enum ta_status status = live->port->read_output(live->port->self, name, &value, why);
        if (status == TA_E_PORT || (status && each))
            return status;
    }
    live->touched =
        arena_grow(live->arena, live->touched, live->touched_count, &live->touched_room, sizeof *live->touched);
    if (!live->touched) {
        live->touched_count = 0;
        return live_no_memory(why);
    }
    live->touched[live->touched_count++] = (struct touched){connector ? connector->name : each->name, value};
    return TA_OK;
}

static enum ta_status set(struct ta_live *live, const char *name, uint64_t value, struct ta_problem *why) {
    enum ta_status status = live->port->set_input(live->port->self, name, value, why);
    return status ? status : live_note(live, &(struct call){.kind = CALL_SET, .name = name, .value = value}, why);
}

enum ta_status ta_live_set(struct ta_live *live, const char *name, uint64_t value, struct ta_problem *why) {
    enum ta_status status = ta_port_needs(live->port, TA_CAN_INPUT, why);
    if (!status)
        status = live_remember(live, name, why);
    return status ? status : set(live, name, value, why);
}

/* A turn sets several sensors, each of which is noted as it stands then. */
enum ta_status ta_live_turn(struct ta_live *live, int turns, struct ta_problem *why) {
    const struct ta_profile *profile = live->state.board.profile;
    enum ta_status status = ta_port_needs(live->port, TA_CAN_INPUT | TA_CAN_OUTPUT, why);
    for (const char *const *name = ta_turned_sensors; !status && *name; ++name) {
        const struct ta_connector *sensor = ta_profile_sensor(profile, *name);
        status = sensor ? live_remember(live, sensor->name, why) : TA_OK;
    }
    if (!status)
        status = ta_port_turn(live->port, turns, why);
    for (const char *const *name = ta_turned_sensors; !status && *name; ++name) {
        const struct ta_connector *sensor = ta_profile_sensor(profile, *name);
        uint64_t value = 0;
        status = sensor ? live->port->read_output(live->port->self, sensor->name, &value, why) : TA_OK;
        if (!status && sensor)
            status = live_note(live, &(struct call){.kind = CALL_SET, .name = sensor->name, .value = value}, why);
    }
    return status;
}

enum ta_status ta_live_type(struct ta_live *live, const void *bytes, size_t length, bool closed,
                            struct ta_problem *why) {
    enum ta_status status = ta_port_needs(live->port, TA_CAN_CONSOLE, why);
    if (!status)
        status = live->port->type(live->port->self, bytes, length, closed, why);
    return status ? status
                  : live_note(live,
                              &(struct call){.kind = closed ? CALL_CLOSE : CALL_TYPE, .bytes = bytes, .length = length},
                              why);
}

enum ta_status ta_live_message(struct ta_live *live, const char *name, const void *text, size_t length,
                               struct ta_problem *why) {
    enum ta_status status = ta_port_needs(live->port, TA_CAN_MESSAGE, why);
    if (!status)
        status = live->port->message(live->port->self, name, text, length, why);
    return status ? status
                  : live_note(live, &(struct call){.kind = CALL_MESSAGE, .name = name, .bytes = text, .length = length},
                              why);
}

enum ta_status ta_live_store(struct ta_live *live, const char *device, const void *bytes, size_t length,
                             struct ta_problem *why) {
    enum ta_status status = ta_port_needs(live->port, TA_CAN_STORE, why);
    if (!status)
        status = live->port->write_store(live->port->self, device, 0, bytes, length, why);
    return status
               ? status
               : live_note(live, &(struct call){.kind = CALL_STORE, .name = device, .bytes = bytes, .length = length},
                           why);
}

enum ta_status ta_live_put_back(struct ta_live *live, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < live->touched_count; ++i)
        status = set(live, live->touched[i].name, live->touched[i].value, why);
    if (!status)
        live->touched_count = 0;
    return status;
}
