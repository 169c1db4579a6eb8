/* Whether the board has what a statement names, of the right kind, and what it is set to is in range. */
#include "core/trial/stimuli.h"

#include <string.h>

static enum ta_status check_kind(const struct statement *statement, const struct ta_profile *profile,
                                 enum ta_connector_kind kind, const char *what, struct ta_problem *why) {
    const struct ta_connector *connector = ta_profile_connector(profile, statement->name);
    struct text names = {0};
    if (connector && connector->kind == kind)
        return TA_OK;
    for (size_t i = 0; i < profile->connector_count; ++i)
        if (profile->connectors[i].kind == kind)
            text_printf(&names, "%s%s", names.length ? ", " : "it has: ", profile->connectors[i].name);
    enum ta_status status = ta_problem_set(why, TA_E_INPUT, names.length ? names.bytes : "choose another target",
                                           "%s has no %s \"%s\"", profile->name, what, statement->name);
    text_free(&names);
    return status;
}

enum ta_status check_input(const struct statement *statement, const struct ta_profile *profile,
                           struct ta_problem *why) {
    return check_kind(statement, profile, TA_CONNECTOR_BUTTON, "input", why);
}

enum ta_status check_sensor(const struct statement *statement, const struct ta_profile *profile,
                            struct ta_problem *why) {
    int64_t milli;
    enum ta_status status = check_kind(statement, profile, TA_CONNECTOR_SENSOR, "sensor", why);
    return status ? status : sensor_value(statement, profile, &milli, why);
}

enum ta_status check_feed(const struct statement *statement, const struct ta_profile *profile, struct ta_problem *why) {
    enum ta_status status = check_kind(statement, profile, TA_CONNECTOR_SENSOR, "sensor", why);
    const struct ta_quantity *quantity = status ? NULL : ta_profile_quantity(profile, statement->name);
    return quantity ? feed_check(statement->feed, quantity, why) : status;
}

enum ta_status check_lamps(const struct statement *statement, const struct ta_profile *profile,
                           struct ta_problem *why) {
    enum ta_status status = check_kind(statement, profile, TA_CONNECTOR_LAMPS, "output", why);
    if (status)
        return status;
    unsigned count = ta_profile_connector(profile, statement->name)->count;
    return statement->width <= count
               ? TA_OK
               : ta_problem_set(why, TA_E_INPUT, "write a 0 or 1 for each lamp, at most as many as there are",
                                "%s has %u lamps, the row has %u", statement->name, count, statement->width);
}

enum ta_status check_text(const struct statement *statement, const struct ta_profile *profile, struct ta_problem *why) {
    return check_kind(statement, profile, TA_CONNECTOR_SCREEN, "screen", why);
}

enum ta_status check_screen(const struct statement *statement, const struct ta_profile *profile,
                            struct ta_problem *why) {
    unsigned width = 0, height = 0;
    enum ta_status status = check_kind(statement, profile, TA_CONNECTOR_SCREEN, "screen", why);
    if (status)
        return status;
    ta_profile_points(profile, statement->name, &width, &height);
    const struct ta_picture *picture = statement->picture;
    if (picture->width == width && picture->height == height)
        return TA_OK;
    return ta_problem_set(why, TA_E_INPUT, "give a picture of the screen's size",
                          "%s has %u by %u points, the %s of %s %u by %u", statement->text, picture->width,
                          picture->height, statement->name, profile->name, width, height);
}

enum ta_status check_touch(const struct statement *statement, const struct ta_profile *profile,
                           struct ta_problem *why) {
    const struct ta_connector *panel = ta_profile_connector_of(profile, TA_CONNECTOR_TOUCH);
    unsigned width, height;
    if (!panel || !ta_profile_points(profile, panel->name, &width, &height))
        return ta_problem_set(why, TA_E_INPUT, "choose another target", "%s has no touch panel", profile->name);
    const uint64_t points[] = {statement->point, statement->end};
    for (size_t i = 0; i < 2; ++i)
        if (TA_TOUCH_X(points[i]) >= width || TA_TOUCH_Y(points[i]) >= height)
            return ta_problem_set(why, TA_E_INPUT, "columns and rows count from 0",
                                  "%u,%u is outside of the %u by %u points of %s", TA_TOUCH_X(points[i]),
                                  TA_TOUCH_Y(points[i]), width, height, panel->name);
    return TA_OK;
}
