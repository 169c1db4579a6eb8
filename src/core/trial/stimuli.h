/* What statements do to the target, what they look for, and how they tell what was there instead: the functions of the rows in
   statements.c. */
#ifndef TA_CORE_TRIAL_STIMULI_H
#define TA_CORE_TRIAL_STIMULI_H

#include "core/trial/statements.h"

typedef enum ta_status statement_act(struct ta_live *live, const struct statement *statement, struct ta_problem *why);
statement_act act_power_on, act_power_off, act_cut, act_reset, act_press, act_hold, act_release, act_set, act_feed,
    act_switch, act_touch, act_turn, act_message, act_type, act_wait;

typedef enum ta_status statement_check(const struct statement *statement, const struct ta_profile *profile,
                                       struct ta_problem *why);
statement_check check_input, check_sensor, check_feed, check_lamps, check_screen, check_touch, check_switch, check_turn,
    check_radio, check_text;

typedef bool statement_holds(struct recorder *recorder, const struct statement *statement, bool last_call);
statement_holds holds_text, holds_pattern, holds_levels, holds_picture, holds_document, holds_shown_text, holds_sent,
    holds_end, holds_no_trap;

typedef const char *statement_describe(const struct recorder *recorder, const struct statement *statement);
statement_describe describe_console, describe_levels, describe_picture, describe_document, describe_shown_text,
    describe_sent;

/* Whether STATEMENT's text stands in the SIZE BYTES from *FROM on, which is then behind it. */
bool found_behind(const char *bytes, size_t size, size_t *from, const struct statement *statement);

/* Of those that have a file of their own: what follows the words of the row. */
typedef enum ta_status statement_parse(struct line *line, struct statement *statement, const struct parsing *parsing);
statement_parse parse_turn, parse_arrives, parse_is_sent;

/* Of a target that ran no more, or trapped, whatever was expected. */
const char *describe_stop(const struct recorder *recorder);
const char *describe_trap(const struct recorder *recorder);

/* Keeps what the screen shows, and how it differs from STATEMENT's picture, for RECORDING. */
enum ta_status take_picture(struct recorder *recorder, const struct statement *statement,
                            struct ta_recording *recording);

/* What a sensor of PROFILE is set to by STATEMENT, in thousandths of its unit; TA_E_INPUT when it is no value of it. */
enum ta_status sensor_value(const struct statement *statement, const struct ta_profile *profile, int64_t *milli,
                            struct ta_problem *why);

#endif
