/* Where an import comes from: brought into a folder of this computer, and the project found in it. */
#ifndef TA_FLOW_IMPORT_SOURCE_H
#define TA_FLOW_IMPORT_SOURCE_H

#include "tameanchor/chain.h"

#include <glib.h>

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

#endif
