/* A program that may only read and write where it is told: Linux's Landlock, which needs no privileges. */
#ifndef TA_HOST_CONFINE_H
#define TA_HOST_CONFINE_H

#include <stdbool.h>

/* Folders and files, absolute, each list ends with null; those that are not there are passed over. What is read may be run
   too. The system's own programs and libraries may always be read, and /dev/null written. */
struct confinement {
    const char *const *read, *const *write;
};

/* Whether this kernel can confine. */
bool confine_can(void);

/* Whether PATH really lies where CONFINEMENT allows to read: what a kernel that cannot confine leaves to be looked at. */
bool confine_allows(const struct confinement *confinement, const char *path);

/* A file descriptor that stands for CONFINEMENT, for confine_enter; -1 where the kernel cannot. The caller closes it. */
int confine_prepare(const struct confinement *confinement);

/* Confines the calling process and all that it starts from now on, for good. Safe between fork and exec. */
bool confine_enter(int prepared);

#endif
