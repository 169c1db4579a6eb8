/* Gathering: what lies outside a project and belongs to it comes into its folder gathered/. */
#ifndef TA_FLOW_IMPORT_GATHER_H
#define TA_FLOW_IMPORT_GATHER_H

#include "tameanchor/report.h"

/* The copy of a project in WORK, and the folder ORIGINAL that it was copied from, which paths that lead outside are seen
   from. */
struct gather {
    const char *work, *original;
    struct ta_report *report;
    struct ta_problem *why;
};

/* Copies what PATH of anchor.yaml names and rewrites it there. */
enum ta_status gather_path(const struct gather *gather, const char *path);

/* Copies the headers that the sources FILES (below WORK, ends with null) include from outside, with what those include from
   beside them, and rewrites the #include lines. */
enum ta_status gather_includes(const struct gather *gather, char *const *files);

#endif
