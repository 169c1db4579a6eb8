/* A project's settings: what the manifest asks for, what settings.env says, and whether the two fit. */
#ifndef TA_FLOW_PROJECT_SETTINGS_H
#define TA_FLOW_PROJECT_SETTINGS_H

#include "base/text.h"
#include "flow/project/workspace.h"

#define SETTINGS_FILE "settings.env"

/* Checks all of them, a finding each; problems carry a fix that can be pasted. Secrets are never shown. */
enum ta_status settings_check(struct workspace *workspace, struct ta_report *report, struct ta_problem *why);

/* Writes the "NAME=VALUE" texts of PAIRS (ends with null) to settings.env, which is made when it is not there. The rest of the
   file stays as it is. */
enum ta_status settings_set(struct workspace *workspace, const char *const *pairs, struct ta_report *report,
                            struct ta_problem *why);

/* Writes settings.env with a placeholder for each setting, unless it is there. */
enum ta_status settings_template(struct workspace *workspace, struct ta_report *report, struct ta_problem *why);

/* Takes blanks before and behind values away, where that makes a value right. *MENDED says how many. */
enum ta_status settings_mend(struct workspace *workspace, unsigned *mended, struct ta_report *report,
                             struct ta_problem *why);

/* The values as a header for the image, SETTING_NAME each. TA_E_NO when one that is needed is missing. */
enum ta_status settings_header(struct workspace *workspace, struct text *header, struct ta_problem *why);

#endif
