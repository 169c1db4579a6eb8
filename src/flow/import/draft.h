/* A draft of anchor.yaml for a folder of C sources that has none. */
#ifndef TA_FLOW_IMPORT_DRAFT_H
#define TA_FLOW_IMPORT_DRAFT_H

#include "tameanchor/report.h"

#include <glib.h>

/* Writes FOLDER/anchor.yaml, for a project named after NAME, from what is found: sources, folders of headers, and, from a
   JSON compilation database, defines. What still needs a decision is marked in it and told in REPORT. TA_E_INPUT when there
   are no C sources. */
enum ta_status draft_write(const char *folder, const char *name, struct ta_report *report, struct ta_problem *why);

#endif
