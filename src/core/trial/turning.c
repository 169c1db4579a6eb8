/* Turning the device, as it is written. */
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
