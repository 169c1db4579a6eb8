#include "host/confine.h"

#include <fcntl.h>
#include <linux/landlock.h>
#include <stddef.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

/* What of the system programs need: nothing that a user wrote. Headers and data of the host are not among it. */
static const char *const system_places[] = {
    "/usr/bin", "/usr/lib",          "/usr/lib32", "/usr/lib64",   "/usr/libexec",     "/bin", "/lib", "/lib32",
    "/lib64",   "/etc/alternatives", "/dev/null",  "/dev/urandom", "/etc/ld.so.cache", NULL};
static const char *const null_device[] = {"/dev/null", NULL};

enum {
    READ = LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_READ_DIR | LANDLOCK_ACCESS_FS_EXECUTE,
    WRITE = LANDLOCK_ACCESS_FS_WRITE_FILE | LANDLOCK_ACCESS_FS_REMOVE_FILE | LANDLOCK_ACCESS_FS_REMOVE_DIR |
            LANDLOCK_ACCESS_FS_MAKE_DIR | LANDLOCK_ACCESS_FS_MAKE_REG | LANDLOCK_ACCESS_FS_MAKE_SYM,
    OF_FILES = LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_EXECUTE | LANDLOCK_ACCESS_FS_WRITE_FILE,
    DEVICES = LANDLOCK_ACCESS_FS_MAKE_CHAR | LANDLOCK_ACCESS_FS_MAKE_BLOCK | LANDLOCK_ACCESS_FS_MAKE_FIFO |
              LANDLOCK_ACCESS_FS_MAKE_SOCK, /* which no compiler needs */
};

/* Rights that later versions of Landlock know. */
#ifndef LANDLOCK_ACCESS_FS_REFER
#define LANDLOCK_ACCESS_FS_REFER (1ULL << 13)
#endif
#ifndef LANDLOCK_ACCESS_FS_TRUNCATE
#define LANDLOCK_ACCESS_FS_TRUNCATE (1ULL << 14)
#endif

static int kernel_version(void) {
    return (int)syscall(SYS_landlock_create_ruleset, NULL, 0, LANDLOCK_CREATE_RULESET_VERSION);
}

bool confine_can(void) {
    return kernel_version() > 0;
}

static bool lies_in(const char *path, const char *const *places) {
    for (; places && *places; ++places) {
        size_t length = strlen(*places);
        if (!strncmp(path, *places, length) && (!path[length] || path[length] == '/' || (*places)[length - 1] == '/'))
            return true;
    }
    return false;
}

bool confine_allows(const struct confinement *confinement, const char *path) {
    char *real = realpath(path, NULL);
    bool allowed =
        real && (lies_in(real, system_places) || lies_in(real, confinement->read) || lies_in(real, confinement->write));
    free(real);
    return allowed;
}

static void allow(int rules, const char *const *places, uint64_t rights) {
    for (; places && *places; ++places) {
        struct stat about;
        int place = open(*places, O_PATH | O_CLOEXEC);
        if (place < 0)
            continue;
        bool file = !fstat(place, &about) && !S_ISDIR(about.st_mode);
        struct landlock_path_beneath_attr rule = {
            .allowed_access = file ? rights & (OF_FILES | LANDLOCK_ACCESS_FS_TRUNCATE) : rights, .parent_fd = place};
        syscall(SYS_landlock_add_rule, rules, LANDLOCK_RULE_PATH_BENEATH, &rule, 0);
        close(place);
    }
}

int confine_prepare(const struct confinement *confinement) {
    int version = kernel_version();
    uint64_t write =
        WRITE | (version >= 2 ? LANDLOCK_ACCESS_FS_REFER : 0) | (version >= 3 ? LANDLOCK_ACCESS_FS_TRUNCATE : 0);
    struct landlock_ruleset_attr handled = {.handled_access_fs = READ | write | DEVICES};
    int rules = version > 0 ? (int)syscall(SYS_landlock_create_ruleset, &handled, sizeof handled, 0) : -1;
    if (rules < 0)
        return -1;
    allow(rules, system_places, READ);
    allow(rules, null_device, READ | write);
    allow(rules, confinement->read, READ);
    allow(rules, confinement->write, READ | write);
    return rules;
}

bool confine_enter(int prepared) {
    return !prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) && !syscall(SYS_landlock_restrict_self, prepared, 0);
}
