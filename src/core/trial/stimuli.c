/* What somebody does to a target, one function a statement. */
#include "core/trial/stimuli.h"

#include "core/live/live.h"

#include <stdio.h>
#include <string.h>

enum ta_status act_power_on(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    enum ta_status status = ta_live_power(live, true, why);
    (void)statement;
    return status ? status : ta_live_resume(live, why);
}

enum ta_status act_power_off(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    (void)statement;
    return ta_live_power(live, false, why);
}

/* At once, or when the statement's time has passed. */
enum ta_status act_cut(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    enum ta_status status = statement->time_ns ? ta_live_pass(live, statement->time_ns, why) : TA_OK;
    return status ? status : ta_live_power(live, false, why);
}

enum ta_status act_reset(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    enum ta_status status = ta_live_reset(live, why);
    (void)statement;
    return status ? status : ta_live_resume(live, why);
}

enum ta_status act_press(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    enum ta_status status = ta_live_set(live, statement->name, 1, why);
    if (!status)
        status = ta_live_pass(live, statement->time_ns, why);
    return status ? status : ta_live_set(live, statement->name, 0, why);
}

enum ta_status act_hold(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    return ta_live_set(live, statement->name, 1, why);
}

enum ta_status act_release(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    return ta_live_set(live, statement->name, 0, why);
}

enum ta_status act_type(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    return ta_live_type(live, statement->text, statement->text_length, false, why);
}

enum ta_status act_wait(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    return ta_live_pass(live, statement->time_ns, why);
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

enum ta_status act_set(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    int64_t milli = 0;
    enum ta_status status = sensor_value(statement, ta_live_board(live)->profile, &milli, why);
    return status ? status : ta_live_set(live, statement->name, (uint64_t)milli, why);
}

enum ta_status act_feed(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    return live_feed(live, statement->name, statement->feed, why);
}

/* From FROM to TO, PART of WHOLE. */
static unsigned between(unsigned from, unsigned to, uint64_t part, uint64_t whole) {
    return (unsigned)((int64_t)from + ((int64_t)to - (int64_t)from) * (int64_t)part / (int64_t)whole);
}

/* The finger is put down, moves on a straight line, ten times in a hundred milliseconds, and is lifted. */
enum ta_status act_touch(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    enum { MOVES_NS = 10000000 };
    const struct ta_connector *panel = ta_profile_connector_of(ta_live_board(live)->profile, TA_CONNECTOR_TOUCH);
    const char *name = panel ? panel->name : "";
    uint64_t from = statement->point, to = statement->end;
    uint64_t steps = from == to ? 1 : statement->time_ns / MOVES_NS + 1, passed_ns = 0;
    enum ta_status status = TA_OK;
    for (uint64_t i = 0; !status && i <= steps; ++i) {
        uint64_t next_ns = statement->time_ns * i / steps;
        uint64_t point = TA_TOUCH(between(TA_TOUCH_X(from), TA_TOUCH_X(to), i, steps),
                                  between(TA_TOUCH_Y(from), TA_TOUCH_Y(to), i, steps));
        status = ta_live_pass(live, next_ns - passed_ns, why);
        passed_ns = next_ns;
        if (!status)
            status = ta_live_set(live, name, point, why);
    }
    return status ? status : ta_live_set(live, name, 0, why);
}

/* Turning the device by a quarter, as one who looks at it does: what its motion sensor and its compass feel of that. */
enum ta_status act_turn(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    return ta_live_turn(live, statement->turns, why);
}
