#include "flow/target/inputs.h"

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
            return ta_problem_set(why, TA_E_INPUT, "write a number and its unit", "--input %s: no value in %s", input,
                                  quantity ? quantity->unit : "a known unit");
        *number = (uint64_t)milli;
        return TA_OK;
    case TA_CONNECTOR_TOUCH:
        if (*value && sscanf(value, "%5u,%5u%c", &x, &y, &end) != 2)
            return ta_problem_set(why, TA_E_INPUT, "write column and row, for example touch=120,80",
                                  "--input %s: no point", input);
        *number = *value ? TA_TOUCH(x, y) : 0;
        return TA_OK;
    case TA_CONNECTOR_BUTTON:
        if (strcmp(value, "0") && strcmp(value, "1"))
            return ta_problem_set(why, TA_E_INPUT, "write 1 for held, 0 for released", "--input %s: no level", input);
        *number = *value == '1';
        return TA_OK;
    default:
        return ta_problem_set(why, TA_E_INPUT, "sensors, buttons and touch panels are", "--input %s: %s is no input",
                              input, connector->name);
    }
}

enum ta_status input_set(struct target *target, const char *input, struct ta_problem *why) {
    const char *equals = strchr(input, '=');
    if (!equals)
        return ta_problem_set(why, TA_E_USAGE, "write for example --input 'heading=90 deg'",
                              "--input %s: there is no value", input);
    g_autofree char *name = g_strndup(input, (gsize)(equals - input));
    const struct ta_connector *connector = ta_profile_connector(target->profile, name);
    const struct ta_switch *each = ta_profile_switch(target->profile, name);
    size_t position = each ? ta_switch_position(each, equals + 1) : 0;
    uint64_t value = 0;
    if (each && position == each->position_count)
        return ta_problem_set(why, TA_E_INPUT, each->positions[0], "--input %s: it has no such position", input);
    if (each)
        return target->port.set_input(target->port.self, name, position, why);
    if (!connector)
        return ta_problem_set(why, TA_E_INPUT, "its profile lists the inputs", "%s has no input \"%s\"",
                              target->profile->name, name);
    enum ta_status status = read_value(connector, input, equals + 1, &value, why);
    return status ? status : target->port.set_input(target->port.self, name, value, why);
}
