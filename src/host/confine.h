/* A program that may only read and write where it is told, opens no sockets, signals nobody outside, and cannot leave its process group:
   Linux's Landlock and seccomp, which need no privileges. */
#ifndef TA_HOST_CONFINE_H
#define TA_HOST_CONFINE_H

#include <stdbool.h>

/* Folders and files, absolute, each list ends with null; those that are not there are passed over. What is read may be run
   too. The system's own programs and libraries may always be read, and /dev/null written. A program that DISTRIBUTES its work reaches other
   computers: of it, files alone are confined. */
struct confinement {
    const char *const *read, *const *write;
    bool distributes;
};

/* What this kernel can see to. */
enum { CONFINES_FILES = 1, CONFINES_SOCKETS = 2, CONFINES_SIGNALS = 4 };
unsigned confine_can(void);

/* Whether PATH really lies where CONFINEMENT allows to read: what a kernel that cannot confine leaves to be looked at. */
bool confine_allows(const struct confinement *confinement, const char *path);

/* A file descriptor that stands for the files of CONFINEMENT, for confine_enter; -1 where the kernel cannot. The caller closes it. */
int confine_prepare(const struct confinement *confinement);

/* Confines the calling process and all that it starts from now on, for good, as far as the kernel can. Safe between fork and exec, and
   after vfork. */
bool confine_enter(const struct confinement *confinement, int prepared);

#endif
