/* Generated files of a build: each says in its head what it was made from and what it holds, so that one which somebody edited
   is found before it is written again. */
#ifndef TA_FLOW_PROJECT_GENERATED_H
#define TA_FLOW_PROJECT_GENERATED_H

#include "base/text.h"
#include "flow/project/workspace.h"
#include "tameanchor/chain.h"

/* Writes BODY to PATH, below the project, when it is not there or was made from other INPUTS (a text). One that was edited is,
   by EDITS, a problem in REPORT with the difference (TA_E_NO), kept as PATH.edited, or written over. BODY is freed. */
enum ta_status generated_write(struct workspace *workspace, const char *path, const char *inputs, struct text *body,
                               enum ta_edits edits, struct ta_report *report, struct ta_problem *why);

/* Whether the file at PATH, below the project, was edited since it was generated. */
bool generated_is_edited(struct workspace *workspace, const char *path);

#endif
