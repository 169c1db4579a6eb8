/* The bill of materials of an image: SPDX 2.3 as JSON. */
#ifndef TA_FLOW_BILL_H
#define TA_FLOW_BILL_H

#include "flow/project/project.h"

/* Where an image came from, as far as it is known. CONTENTS are files and their SHA-256. */
struct origin {
    const char *form;
    bool has_identity;
    char identity[TA_IDENTITY_TEXT];
    struct pin project, sdk, compiler, board;
    struct pins components;
    struct pairs contents;
    int64_t built_s;
    size_t bytes;
};

/* When it was built, as ISO 8601 in UTC; freed with g_free. */
char *origin_time(const struct origin *origin);

/* Writes the bill of ORIGIN to PATH. WORKSPACE (may be null) is the project that may tell licences. TA_E_NO when the image says too
   little of itself. */
enum ta_status bill_write(const struct origin *origin, struct workspace *workspace, const char *path,
                          struct ta_report *report, struct ta_problem *why);

#endif
