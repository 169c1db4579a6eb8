/* What others ask of the build without building. */
#ifndef TA_FLOW_BUILD_BUILD_H
#define TA_FLOW_BUILD_BUILD_H

#include "flow/project/workspace.h"

/* The name of the first source that changed since the last build, or null. The workspace must be loaded. */
const char *build_first_change(struct workspace *workspace);

#endif
