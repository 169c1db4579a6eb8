/* The projects that were configured on this computer, so that nothing they use is removed unnoticed. */
#ifndef TA_FLOW_PROJECTS_H
#define TA_FLOW_PROJECTS_H

#include "flow/context.h"

/* Remembers the project in FOLDER, an absolute path, as the one that was configured last. */
enum ta_status project_note(struct ta_context *context, const char *folder, struct ta_problem *why);

/* That the user imported the project in FOLDER where it lies, so that it may read what lies outside; whether it is one. */
enum ta_status project_note_in_place(struct ta_context *context, const char *folder, struct ta_problem *why);
bool project_is_in_place(struct ta_context *context, const char *folder);

/* The setup of the project that was configured last and is not FOLDER; false when there is none. */
bool projects_last(struct ta_context *context, const char *folder, struct setup *setup);

/* The folders of the projects whose setup names PACKAGE, and of those that are set up for TARGET; strings, freed with
   g_ptr_array_unref. Projects that are gone are passed over. */
GPtrArray *projects_using(struct ta_context *context, const struct package *package);
GPtrArray *projects_on(struct ta_context *context, const char *target);

#endif
