/* What a target shows: its lamps and screens, as they are when a run ends; the bench keeps it for those who ask later. */
#ifndef TA_FLOW_DEPLOY_SHOWN_H
#define TA_FLOW_DEPLOY_SHOWN_H

#include "flow/deploy/target.h"

/* Keeps what TARGET shows now, unless it is a throwaway one; with SCREEN (may be null) writes what its screen shows to that file, too. */
enum ta_status shown_keep(struct target *target, const char *screen, struct ta_problem *why);

/* Writes what a screen showed that did not look as a trial expected, and where it did not, as PNG into FOLDER, named after the trial; RECORDING
   says where. PREFIX goes before the names that it says. */
enum ta_status shown_write(struct ta_recording *recording, const char *folder, const char *prefix,
                           struct ta_problem *why);

#endif
