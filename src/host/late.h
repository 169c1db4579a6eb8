/* Libraries that few commands need, and that bring many others along: they are loaded when the first of their functions is called for, since
   binding their thousands of symbols takes longer than most commands. */
#ifndef TA_HOST_LATE_H
#define TA_HOST_LATE_H

#include <stdbool.h>
#include <stddef.h>

/* A function, by name and where its address goes. */
struct late_function {
    const char *name;
    void **to;
};

/* Loads LIBRARY ("libcurl.so.4") for as long as the process runs and fills all COUNT addresses; false when it is not on this computer or lacks
   one. Called again for each use: after the first time, it costs nothing. */
bool late_load(const char *library, const struct late_function *functions, size_t count);

#endif
