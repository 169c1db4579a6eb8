/* Settings: what a project asks its user for, kept in its settings.env. Secrets are never shown. */
#ifndef TAMEANCHOR_SETTINGS_H
#define TAMEANCHOR_SETTINGS_H

#include "tameanchor/context.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Each setting of the project in FOLDER as a finding; a problem says how to mend it. Fact: settings. TA_E_NO when one is a
   problem. */
enum ta_status ta_settings_check(struct ta_context *context, const char *folder, struct ta_report *report,
                                 struct ta_problem *why);

/* The settings that there are: table settings. Values are not told. */
enum ta_status ta_settings_list(struct ta_context *context, const char *folder, struct ta_report *report,
                                struct ta_problem *why);

/* Writes PAIRS, "NAME=VALUE" texts that end with null. A name that the project does not ask for and a value that does not do
   are refused, and nothing is written. */
enum ta_status ta_settings_set(struct ta_context *context, const char *folder, const char *const *pairs,
                               struct ta_report *report, struct ta_problem *why);

#ifdef __cplusplus
}
#endif
#endif
