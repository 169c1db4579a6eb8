/* What a folder's files tell of themselves, without a compiler. */
#ifndef TA_FLOW_IMPORT_SCAN_H
#define TA_FLOW_IMPORT_SCAN_H

#include "flow/project/workspace.h"

#include <glib.h>

bool scan_is_source(const char *path);

/* Lists of paths relative to FOLDER, each ends with null. */
struct scan {
    char **files;
    GPtrArray *clashes;  /* names that clash, or cannot be, on other systems */
    GPtrArray *programs; /* executables and object files */
    GPtrArray *outside;  /* "src/a.c includes ../b.h" */
    char *entry;         /* the file with main, or null */
};

void scan_folder(const char *folder, struct scan *scan);
void scan_clear(struct scan *scan);

/* True when PATH, seen from FOLDER, lies outside it. */
bool scan_leaves(const char *folder, const char *path);

#endif
