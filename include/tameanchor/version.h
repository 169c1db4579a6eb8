/* Versions and ranges of versions. A version follows Semantic Versioning 2.0.0 (semver.org); the patch number may be
   left out when it is 0. A range is comparisons joined by blanks (all must hold), and such groups joined by "||" (one
   must hold): ">=2.0 <3", "1.4 || >=2.1". A bare version stands for itself alone,
   "*" for every version. */
#ifndef TAMEANCHOR_VERSION_H
#define TAMEANCHOR_VERSION_H

#include "tameanchor/status.h"

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

enum { TA_PRERELEASE_BYTES = 48 };

/* PRERELEASE is empty for a release. Build metadata is read and dropped: it does not order versions. */
struct ta_version {
    uint32_t major, minor, patch;
    char prerelease[TA_PRERELEASE_BYTES];
};

enum ta_status ta_version_parse(const char *text, struct ta_version *version, struct ta_problem *why);

/* Below 0, 0 or above 0, by semver.org's precedence (section 11). */
int ta_version_compare(const struct ta_version *a, const struct ta_version *b);

/* TA_OK when TEXT is a range. */
enum ta_status ta_range_check(const char *text, struct ta_problem *why);

/* Whether VERSION lies in RANGE. A pre-release lies in a range only when a comparison of the same group names a
   pre-release of the same major, minor and patch. False for a text that is no range. */
bool ta_range_contains(const char *range, const struct ta_version *version);

#ifdef __cplusplus
}
#endif
#endif
