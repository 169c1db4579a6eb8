/* The pictures of trials that failed. */
#ifndef TA_FLOW_VERIFY_PICTURES_H
#define TA_FLOW_VERIFY_PICTURES_H

#include "tameanchor/recording.h"
#include "tameanchor/status.h"

/* Writes what a screen showed that did not look as a trial expected, and where it did not, as PNG into FOLDER, named after the trial; RECORDING
   says where. PREFIX goes before the names that it says. */
enum ta_status pictures_write(struct ta_recording *recording, const char *folder, const char *prefix,
                              struct ta_problem *why);

#endif
