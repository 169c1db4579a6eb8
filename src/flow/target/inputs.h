/* What people do to a target, as they write it. */
#ifndef TA_FLOW_TARGET_INPUTS_H
#define TA_FLOW_TARGET_INPUTS_H

#include "flow/target/target.h"

/* Sets an input: "heading=90 deg", "button A=1", "touch=120,80", "usb cable=plugged", or "touch=" for no finger. */
enum ta_status input_set(struct target *target, const char *input, struct ta_problem *why);

#endif
