/* Turning the device by a quarter, as one who looks at it does: what its motion sensor and its compass feel of that. */
#include "core/trial/stimuli.h"

enum ta_status parse_turn(struct line *line, struct statement *statement, const struct parsing *parsing) {
    static const char allowed[] = "allowed here: left or right";
    (void)parsing;
    statement->turns = line_accept(line, "left") ? -1 : 1;
    return statement->turns < 0 ? TA_OK : line_expect(line, "right", allowed);
}

enum ta_status check_turn(const struct statement *statement, const struct ta_profile *profile, struct ta_problem *why) {
    (void)statement;
    return ta_profile_turns(profile, why);
}

enum ta_status act_turn(struct recorder *recorder, const struct statement *statement) {
    const struct ta_profile *profile;
    enum ta_status status = recorder->port->describe(recorder->port->self, &profile, recorder->why);
    for (const char *const *name = ta_turned_sensors; !status && *name; ++name) {
        const struct ta_connector *sensor = ta_profile_sensor(profile, *name);
        status = sensor ? remember(recorder, sensor->name) : TA_OK;
    }
    return status ? status : ta_port_turn(recorder->port, statement->turns, recorder->why);
}
