#include "flow/deploy/inputs.h"

#include <stdio.h>

/* What VALUE, behind "NAME=", means for CONNECTOR. */
static enum ta_status read_value(const struct ta_connector *connector, const char *input, const char *value,
                                 uint64_t *number, struct ta_problem *why) {
    const struct ta_quantity *quantity = connector->quantity ? ta_quantity_find(connector->quantity) : NULL;
    unsigned x = 0, y = 0;
    int64_t milli = 0;
    char end;
    switch (connector->kind) {
    case TA_CONNECTOR_SENSOR:
        if (!quantity || !ta_quantity_parse(quantity, value, strlen(value), &milli))
            return ta_problem_set(why, TA_E_INPUT, "write a number and its unit", "%s: no value in %s", input,
                                  quantity ? quantity->unit : "a known unit");
        *number = (uint64_t)milli;
        return TA_OK;
    case TA_CONNECTOR_TOUCH:
        if (*value && sscanf(value, "%5u,%5u%c", &x, &y, &end) != 2)
            return ta_problem_set(why, TA_E_INPUT, "write column and row, for example touch=120,80", "%s: no point",
                                  input);
        *number = *value ? TA_TOUCH(x, y) : 0;
        return TA_OK;
    case TA_CONNECTOR_BUTTON:
        if (strcmp(value, "0") && strcmp(value, "1"))
            return ta_problem_set(why, TA_E_INPUT, "write 1 for held, 0 for released", "%s: no level", input);
        *number = *value == '1';
        return TA_OK;
    default:
        return ta_problem_set(why, TA_E_INPUT, "sensors, buttons, touch panels and radios are", "%s: %s is no input",
                              input, connector->name);
    }
}

enum ta_status input_set(struct target *target, const char *input, struct ta_problem *why) {
    const char *equals = strchr(input, '=');
    if (!equals)
        return ta_problem_set(why, TA_E_USAGE, "write for example --input 'heading=90 deg'", "%s: there is no value",
                              input);
    g_autofree char *name = g_strndup(input, (gsize)(equals - input));
    const struct ta_connector *connector = ta_profile_connector(target->profile, name);
    const struct ta_switch *each = ta_profile_switch(target->profile, name);
    size_t position = each ? ta_switch_position(each, equals + 1) : 0;
    uint64_t value = 0;
    if (connector && connector->kind == TA_CONNECTOR_RADIO) {
        enum ta_status status = ta_port_needs(&target->port, TA_CAN_MESSAGE, why);
        if (!status)
            status = target->port.message(target->port.self, name, equals + 1, strlen(equals + 1), why);
        return status == TA_E_NO ? ta_problem_set(why, TA_E_INPUT, "let it arrive while the program runs",
                                                  "%s: nobody hears it before the power is on", input)
                                 : status;
    }
    if (each && position == each->position_count)
        return ta_problem_set(why, TA_E_INPUT, each->positions[0], "%s: it has no such position", input);
    if (each)
        return target->port.set_input(target->port.self, name, position, why);
    if (!connector)
        return ta_problem_set(why, TA_E_INPUT, "its profile lists the inputs", "%s has no input \"%s\"",
                              target->profile->name, name);
    enum ta_status status = read_value(connector, input, equals + 1, &value, why);
    return status ? status : target->port.set_input(target->port.self, name, value, why);
}

static enum ta_status press(struct hands *hands, struct target *target, const char *name, uint64_t now_ns,
                            struct ta_problem *why) {
    enum { PRESS_NS = 100000000, PAUSE_NS = 50000000 };
    const struct ta_connector *connector = ta_profile_connector(target->profile, name);
    if (!connector || connector->kind != TA_CONNECTOR_BUTTON)
        return ta_problem_set(why, TA_E_INPUT, "its profile lists the connectors", "%s has no button \"%s\"",
                              target->profile->name, name);
    *hands = (struct hands){connector->name, now_ns + PRESS_NS, now_ns + PRESS_NS + PAUSE_NS};
    return target->port.set_input(target->port.self, connector->name, 1, why);
}

enum ta_status hands_let_go(struct hands *hands, struct target *target, uint64_t now_ns, struct ta_problem *why) {
    const char *pressed = hands->presses;
    if (!pressed || now_ns < hands->until_ns)
        return TA_OK;
    hands->presses = NULL;
    return target->port.set_input(target->port.self, pressed, 0, why);
}

enum ta_status hands_do(struct hands *hands, struct target *target, const char *what, uint64_t now_ns,
                        struct ta_problem *why) {
    enum ta_status status = ta_port_needs(&target->port, TA_CAN_INPUT, why);
    if (status)
        return status;
    if (g_str_has_prefix(what, "press "))
        return press(hands, target, what + strlen("press "), now_ns, why);
    if (!strcmp(what, "turn left") || !strcmp(what, "turn right"))
        return ta_port_turn(&target->port, !strcmp(what, "turn left") ? -1 : 1, why);
    return input_set(target, what, why);
}
