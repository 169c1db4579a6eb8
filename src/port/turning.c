/* A quarter of a turn by hand. */
#include "tameanchor/port.h"

enum { X, Y, COMPASS, SENSORS, QUARTER_TURN = 90000, FULL_TURN = 360000 };
const char *const ta_turned_sensors[] = {[X] = "acceleration x", [Y] = "acceleration y", [COMPASS] = "heading", NULL};

enum ta_status ta_profile_turns(const struct ta_profile *profile, struct ta_problem *why) {
    if (ta_profile_sensor(profile, ta_turned_sensors[COMPASS]) ||
        (ta_profile_sensor(profile, ta_turned_sensors[X]) && ta_profile_sensor(profile, ta_turned_sensors[Y])))
        return TA_OK;
    return ta_problem_set(why, TA_E_INPUT, "choose a target with a motion sensor or a compass",
                          "%s does not feel how it is turned", profile->name);
}

static enum ta_status read_sensor(struct ta_port *port, const struct ta_connector *sensor, int64_t *milli,
                                  struct ta_problem *why) {
    uint64_t value = 0;
    enum ta_status status = sensor ? port->read_output(port->self, sensor->name, &value, why) : TA_OK;
    *milli = (int64_t)value;
    return status;
}

static int64_t size_of(int64_t milli) {
    return milli < 0 ? -milli : milli;
}

/* Turned to the left, what was up is now to the right. One that lies flat points elsewhere instead. */
enum ta_status ta_port_turn(struct ta_port *port, int turns, struct ta_problem *why) {
    const struct ta_connector *sensors[SENSORS];
    const struct ta_profile *profile;
    int64_t felt[SENSORS], upright = 0;
    enum ta_status status = port->describe(port->self, &profile, why);
    if (!status)
        status = ta_profile_turns(profile, why);
    if (status)
        return status;
    for (int i = 0; !status && i < SENSORS; ++i) {
        sensors[i] = ta_profile_sensor(profile, ta_turned_sensors[i]);
        status = read_sensor(port, sensors[i], &felt[i], why);
    }
    if (!status)
        status = read_sensor(port, ta_profile_sensor(profile, "acceleration z"), &upright, why);
    if (status)
        return status;
    bool stands = size_of(felt[X]) > size_of(upright) || size_of(felt[Y]) > size_of(upright);
    int64_t heading = (felt[COMPASS] + turns * QUARTER_TURN + FULL_TURN) % FULL_TURN;
    if (sensors[X] && sensors[Y]) {
        status = port->set_input(port->self, sensors[X]->name, (uint64_t)(-turns * felt[Y]), why);
        if (!status)
            status = port->set_input(port->self, sensors[Y]->name, (uint64_t)(turns * felt[X]), why);
    }
    return !status && sensors[COMPASS] && !stands
               ? port->set_input(port->self, sensors[COMPASS]->name, (uint64_t)heading, why)
               : status;
}
