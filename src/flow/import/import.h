/* An import, part by part. */
#ifndef TA_FLOW_IMPORT_H
#define TA_FLOW_IMPORT_H

#include "flow/project/project.h"

/* Where an import comes from: brought into a folder of this computer, and the project found in it. */

/* ROOT is the project's folder. STAGED: it stands below the folder that was given for staging and may be moved, else it is
   the user's and is copied. ABOUT says for people what it is; NAME is a destination's name made from it. */
struct source {
    char *root, *about, *name;
    bool staged, is_example;
    bool has_manifest;
};

/* Brings what REQUEST names; archives and repositories are unpacked into STAGING, which must not exist. An example that is not
   here is fetched from a depot, with what it needs. */
enum ta_status source_open(struct ta_context *context, const struct ta_import *request, const char *staging,
                           struct source *source, struct ta_report *report, struct ta_problem *why);
void source_close(struct source *source);

/* The name that a destination gets from a source: its last element, without an archive's or a repository's ending or an
   example's version. */
char *source_name(const char *source);

/* What a folder's files tell of themselves, without a compiler. */

bool scan_is_source(const char *path);

/* How the line of an #include begins, as a regular expression: it stays on its line, however many are blank. */
#define SCAN_INCLUDE "[ \\t]*#[ \\t]*include[ \\t]*"

/* Lists of paths relative to FOLDER, each ends with null. */
struct scan {
    char **files;
    GPtrArray *clashes;  /* names that clash, or cannot be, on other systems */
    GPtrArray *programs; /* executables and object files */
    GPtrArray *binary;   /* sources and headers that are not text; precompiled headers */
    GPtrArray *outside;  /* "src/a.c includes ../b.h" */
    char *entry;         /* the file with main, or null */
};

void scan_folder(const char *folder, struct scan *scan);
void scan_clear(struct scan *scan);

/* True when PATH, seen from FOLDER, lies outside it. */
bool scan_leaves(const char *folder, const char *path);

/* A draft of anchor.yaml for a folder of C sources that has none. */

/* Writes FOLDER/anchor.yaml, for a project named after NAME, from what is found: sources, folders of headers, the SDK's components
   whose headers they include, and, from a JSON compilation database, defines. What still needs a decision is marked in it and told in
   REPORT. TA_E_INPUT when there are no C sources. */
enum ta_status draft_write(struct ta_context *context, const char *folder, const char *name, struct ta_report *report,
                           struct ta_problem *why);

/* Gathering: what lies outside a project and belongs to it comes into its folder gathered/. */

/* The copy of a project in WORK, and the folder ORIGINAL that it was copied from, which paths that lead outside are seen
   from. */
struct gather {
    const char *work, *original;
    GHashTable *names;   /* where something came from, and where it is now, below WORK */
    uint64_t most_bytes; /* of each that is copied */
    const struct file_watch *watch;
    struct ta_report *report;
    struct ta_problem *why;
};

/* Copies what PATH of anchor.yaml names and rewrites it there. */
enum ta_status gather_path(const struct gather *gather, const char *path);

/* Copies the headers that the sources FILES (below WORK, ends with null) include from outside, with what those include from
   beside them, and rewrites the #include lines. */
enum ta_status gather_includes(const struct gather *gather, char *const *files);

/* What is checked of a project when it is imported, all at once. */

/* WORK holds the project as it will be; ORIGINAL (null: none) the folder that it was copied from, which paths that lead
   outside are seen from. */
struct import_check {
    struct ta_context *context;
    const char *work, *original;
    bool in_place, gather, anyway;
    bool drafted; /* anchor.yaml is ours, not the author's */
};

/* Adds the findings; with GATHER, copies in what lies outside and rewrites what named it in WORK; fetches what is needed, when
   the context agrees. TA_E_NO when a finding is a problem, unless ANYWAY: the project would be incomplete. */
enum ta_status import_check(const struct import_check *check, struct ta_report *report, struct ta_problem *why);

#endif
