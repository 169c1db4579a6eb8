/* What statements do to the target, what they look for, and how they tell what was there instead: the functions of the rows in
   statements.c. */
#ifndef TA_CORE_TRIAL_STIMULI_H
#define TA_CORE_TRIAL_STIMULI_H

#include "core/trial/statements.h"

typedef enum ta_status statement_act(struct recorder *recorder, const struct statement *statement);
statement_act act_power_on, act_power_off, act_cut, act_reset, act_press, act_hold, act_release, act_set, act_feed,
    act_switch, act_touch, act_type, act_wait;

typedef enum ta_status statement_check(const struct statement *statement, const struct ta_profile *profile,
                                       struct ta_problem *why);
statement_check check_input, check_sensor, check_feed, check_lamps, check_screen, check_touch, check_switch;

typedef bool statement_holds(struct recorder *recorder, const struct statement *statement, bool last_call);
statement_holds holds_text, holds_pattern, holds_levels, holds_picture, holds_document, holds_end, holds_no_trap;

typedef const char *statement_describe(const struct recorder *recorder, const struct statement *statement);
statement_describe describe_console, describe_levels, describe_picture, describe_document;

/* Of a target that ran no more, or trapped, whatever was expected. */
const char *describe_stop(const struct recorder *recorder);
const char *describe_trap(const struct recorder *recorder);

/* Keeps what the screen shows, and how it differs from STATEMENT's picture, for RECORDING. */
enum ta_status take_picture(struct recorder *recorder, const struct statement *statement,
                            struct ta_recording *recording);

/* What the trial switched stands as before. */
enum ta_status put_back(struct recorder *recorder, struct ta_problem *why);

/* The name of the board's touch panel, or null. */
const char *touch_panel(const struct ta_profile *profile);

/* What a sensor of PROFILE is set to by STATEMENT, in thousandths of its unit; TA_E_INPUT when it is no value of it. */
enum ta_status sensor_value(const struct statement *statement, const struct ta_profile *profile, int64_t *milli,
                            struct ta_problem *why);

/* The input that STATEMENT held, pressed or set is as it was before anybody touched it. */
enum ta_status let_go(struct ta_port *port, const struct statement *statement, struct ta_problem *why);

#endif
