/* A folder for files that last no longer than what is under way: in memory, where there is plenty. */
#ifndef TA_HOST_SCRATCH_H
#define TA_HOST_SCRATCH_H

#include "host/growing.h"

/* Begins one that this user alone may read, in the folder OTHERWISE when there is no memory to spare. Ended with growing_end. */
enum ta_status scratch_begin(const char *otherwise, struct growing *scratch, struct ta_problem *why);

#endif
