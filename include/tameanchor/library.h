/* The library's own version: of the headers that a program was compiled against, and of the library that it runs with. */
#ifndef TAMEANCHOR_LIBRARY_H
#define TAMEANCHOR_LIBRARY_H

#include "tameanchor/status.h"

#ifdef __cplusplus
extern "C" {
#endif

#define TA_VERSION_MAJOR 0
#define TA_VERSION_MINOR 2
#define TA_VERSION_PATCH 0
#define TA_VERSION_TEXT  "0.2.0"

/* "0.2.0": the version of the library that runs. Never null; not to be freed. */
const char *ta_library_version(void);

/* TA_OK when the library that runs keeps what headers of MAJOR and MINOR promise: of one major number, a minor one that is not
   lower; before 1.0, the same. Else TA_E_UNSUPPORTED; WHY may be null. Use: ta_library_check(TA_VERSION_MAJOR,
   TA_VERSION_MINOR, &why). */
enum ta_status ta_library_check(unsigned major, unsigned minor, struct ta_problem *why);

#ifdef __cplusplus
}
#endif
#endif
