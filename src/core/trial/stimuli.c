#include "core/trial/stimuli.h"

#include <stdio.h>
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

enum ta_status act_cut(struct recorder *recorder, const struct statement *statement) {
    enum ta_status status = TA_OK;
    if (statement->instants)
        status = recorder_pass(recorder, statement->time_ns * (2 * recorder->round + 1) / (2 * statement->instants));
    if (!status)
        status = recorder_note(recorder, "power", "cut");
    return status ? status : recorder->port->power(recorder->port->self, false, recorder->why);
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

enum ta_status sensor_value(const struct statement *statement, const struct ta_profile *profile, int64_t *milli,
                            struct ta_problem *why) {
    const struct ta_quantity *quantity = ta_profile_quantity(profile, statement->name);
    char low[TA_QUANTITY_TEXT_BYTES], high[TA_QUANTITY_TEXT_BYTES], fix[3 * TA_QUANTITY_TEXT_BYTES];
    if (!quantity)
        return ta_problem_set(why, TA_E_INPUT, "choose another target", "%s does not say what its %s senses",
                              profile->name, statement->name);
    snprintf(fix, sizeof fix, "write %s to %s", ta_quantity_text("", quantity->minimum, low),
             ta_quantity_text(quantity->unit, quantity->maximum, high));
    if (!ta_quantity_parse(quantity, statement->value, strlen(statement->value), milli))
        return ta_problem_set(why, TA_E_INPUT, fix, "\"%.40s\" is no value in %s", statement->value, quantity->unit);
    if (*milli < quantity->minimum || *milli > quantity->maximum)
        return ta_problem_set(why, TA_E_INPUT, fix, "%.40s is out of the range of %s", statement->value,
                              statement->name);
    return TA_OK;
}

enum ta_status act_set(struct recorder *recorder, const struct statement *statement) {
    const struct ta_profile *profile;
    int64_t milli = 0;
    enum ta_status status = recorder->port->describe(recorder->port->self, &profile, recorder->why);
    if (!status)
        status = sensor_value(statement, profile, &milli, recorder->why);
    return status ? status : set_input(recorder, statement->name, (uint64_t)milli);
}

enum ta_status act_feed(struct recorder *recorder, const struct statement *statement) {
    return recorder_feed(recorder, statement->name, statement->feed);
}

/* From FROM to TO, PART of WHOLE. */
static unsigned between(unsigned from, unsigned to, uint64_t part, uint64_t whole) {
    return (unsigned)((int64_t)from + ((int64_t)to - (int64_t)from) * (int64_t)part / (int64_t)whole);
}

/* The finger is put down, moves on a straight line, ten times in a hundred milliseconds, and is lifted. */
enum ta_status act_touch(struct recorder *recorder, const struct statement *statement) {
    enum { MOVES_NS = 10000000 };
    const struct ta_profile *profile;
    uint64_t from = statement->point, to = statement->end;
    uint64_t steps = from == to ? 1 : statement->time_ns / MOVES_NS + 1, passed_ns = 0;
    enum ta_status status = recorder->port->describe(recorder->port->self, &profile, recorder->why);
    const struct ta_connector *panel = status ? NULL : ta_profile_connector_of(profile, TA_CONNECTOR_TOUCH);
    const char *name = panel ? panel->name : "";
    for (uint64_t i = 0; !status && i <= steps; ++i) {
        uint64_t next_ns = statement->time_ns * i / steps;
        uint64_t point = TA_TOUCH(between(TA_TOUCH_X(from), TA_TOUCH_X(to), i, steps),
                                  between(TA_TOUCH_Y(from), TA_TOUCH_Y(to), i, steps));
        status = recorder_pass(recorder, next_ns - passed_ns);
        passed_ns = next_ns;
        if (!status)
            status = set_input(recorder, name, point);
    }
    return status ? status : set_input(recorder, name, 0);
}

enum ta_status let_go(struct ta_port *port, const struct statement *statement, struct ta_problem *why) {
    const struct ta_profile *profile;
    enum ta_status status = port->describe(port->self, &profile, why);
    const struct ta_connector *held = status            ? NULL
                                      : statement->name ? ta_profile_connector(profile, statement->name)
                                                        : ta_profile_connector_of(profile, TA_CONNECTOR_TOUCH);
    return held ? port->set_input(port->self, held->name, (uint64_t)ta_connector_start(held), why) : status;
}
