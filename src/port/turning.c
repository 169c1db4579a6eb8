/* A quarter of a turn by hand. */
#include "tameanchor/port.h"

enum { X, Y, Z, AXES, QUARTER_TURN = 90000, FULL_TURN = 360000 };
static const char *const axes[AXES] = {"acceleration x", "acceleration y", "acceleration z"};

enum ta_status ta_profile_turns(const struct ta_profile *profile, struct ta_problem *why) {
    if (ta_profile_sensor(profile, "heading") ||
        (ta_profile_sensor(profile, axes[X]) && ta_profile_sensor(profile, axes[Y])))
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
    const struct ta_connector *sensors[AXES], *compass;
    const struct ta_profile *profile;
    int64_t felt[AXES], heading = 0;
    enum ta_status status = port->describe(port->self, &profile, why);
    if (!status)
        status = ta_profile_turns(profile, why);
    if (status)
        return status;
    for (int i = 0; !status && i < AXES; ++i) {
        sensors[i] = ta_profile_sensor(profile, axes[i]);
        status = read_sensor(port, sensors[i], &felt[i], why);
    }
    compass = ta_profile_sensor(profile, "heading");
    if (!status)
        status = read_sensor(port, compass, &heading, why);
    if (status)
        return status;
    bool stands = size_of(felt[X]) > size_of(felt[Z]) || size_of(felt[Y]) > size_of(felt[Z]);
    heading = (heading + turns * QUARTER_TURN + FULL_TURN) % FULL_TURN;
    if (sensors[X] && sensors[Y]) {
        status = port->set_input(port->self, sensors[X]->name, (uint64_t)(-turns * felt[Y]), why);
        if (!status)
            status = port->set_input(port->self, sensors[Y]->name, (uint64_t)(turns * felt[X]), why);
    }
    return !status && compass && !stands ? port->set_input(port->self, compass->name, (uint64_t)heading, why) : status;
}
