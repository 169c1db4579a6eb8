/* Builds: what others ask of them. */
#ifndef TA_FLOW_BUILDER_BUILD_H
#define TA_FLOW_BUILDER_BUILD_H

#include "flow/project/project.h"

/* What was done; nothing when all was up to date. */
struct built {
    unsigned generated, compiled, cached;
    bool linked;
};

/* Makes the image of WORKSPACE, which is loaded and this process's own, and fills REPORT as ta_build does. TA_E_NO when it cannot be made:
   REPORT says why. */
enum ta_status build_image(struct workspace *workspace, const struct ta_build *build, struct built *built,
                           struct ta_report *report, struct ta_problem *why);

/* The same for those who need it: REPORT does not tell what the image is, nor what compilers said of files that are not compiled now. */
enum ta_status build_image_for_use(struct workspace *workspace, struct built *built, struct ta_report *report,
                                   struct ta_problem *why);

/* Takes away what builds of WORKSPACE, which is this process's own, left. TA_E_NO when what somebody edited would be lost. */
enum ta_status build_clean(struct workspace *workspace, enum ta_clean what, struct ta_report *report,
                           struct ta_problem *why);

/* Where the project keeps the names and digests of all that the image of IDENTITY was compiled from: "SHA-256 name", a line each. Of the
   last BUILD_CONTENTS_KEPT images. */
enum { BUILD_CONTENTS_KEPT = 32 };
const char *build_contents_path(struct workspace *workspace, const char *identity);

/* What changed since the last build, first found first ("src/tide.h changed"), or null. The workspace must be loaded; the text is
   its. */
const char *build_first_change(struct workspace *workspace);

/* Adds the absolute paths of all that the last build read of the project, the SDK and what else the user can change; not what it
   generated. The workspace must be loaded. */
void build_inputs(struct workspace *workspace, GPtrArray *paths);

#endif
