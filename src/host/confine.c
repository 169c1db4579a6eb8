#include "host/confine.h"

#include <errno.h>
#include <fcntl.h>
#include <linux/audit.h>
#include <linux/filter.h>
#include <linux/landlock.h>
#include <linux/seccomp.h>
#include <signal.h>
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

/* Versions 4 and 6 of Landlock added the lower two; Debian 12's header ends before them. */
struct rules {
    uint64_t files, network, scoped;
};
enum { SCOPE_SIGNALS = 2, SCOPE_SIGNALS_SINCE = 6 };

/* The calls of this computer's kind: from other_calls on they are of another. */
#if defined __x86_64__
static const uint32_t machine_kind = AUDIT_ARCH_X86_64, other_calls = 0x40000000; /* x32 */
#elif defined __aarch64__
static const uint32_t machine_kind = AUDIT_ARCH_AARCH64, other_calls = UINT32_MAX;
#else
static const uint32_t machine_kind = 0, other_calls = UINT32_MAX; /* not known here: nothing is filtered */
#endif

static bool can_filter(void) {
    unsigned action = SECCOMP_RET_ERRNO;
    return machine_kind && !syscall(SYS_seccomp, SECCOMP_GET_ACTION_AVAIL, 0, &action);
}

unsigned confine_can(void) {
    int version = kernel_version();
    bool filters = can_filter();
    return (version > 0 ? CONFINES_FILES : 0) | (filters ? CONFINES_SOCKETS : 0) |
           (filters || version >= SCOPE_SIGNALS_SINCE ? CONFINES_SIGNALS : 0);
}

/* No compiler needs these: connections, ways out of its process group, other processes, and the kernel's larger doors. */
static const unsigned refused_calls[] = {SYS_socket,
                                         SYS_io_uring_setup,
                                         SYS_setsid,
                                         SYS_setpgid,
                                         SYS_ptrace,
                                         SYS_process_vm_readv,
                                         SYS_process_vm_writev,
                                         SYS_setns,
                                         SYS_unshare,
                                         SYS_bpf,
                                         SYS_perf_event_open,
                                         SYS_userfaultfd,
                                         SYS_keyctl,
                                         SYS_add_key,
                                         SYS_request_key,
                                         SYS_mount,
                                         SYS_pidfd_getfd,
                                         SYS_pidfd_open};
/* Where Landlock does not tell who is outside, nobody is signalled at all, but by tgkill for SIGABRT: a program may end itself. */
static const unsigned signal_calls[] = {SYS_kill, SYS_tkill, SYS_rt_sigqueueinfo, SYS_rt_tgsigqueueinfo,
                                        SYS_pidfd_send_signal};

/* The calls that are refused fail with EPERM. */
static bool refuse_calls(bool signals_too) {
    enum { MOST = 64 };
    const struct sock_filter allow = BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW);
    const struct sock_filter refuse = BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ERRNO | EPERM);
    const struct sock_filter load_call = BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(struct seccomp_data, nr));
    struct sock_filter steps[MOST] = {BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(struct seccomp_data, arch)),
                                      BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, machine_kind, 1, 0),
                                      refuse,
                                      load_call,
                                      BPF_JUMP(BPF_JMP | BPF_JGE | BPF_K, other_calls, 0, 1),
                                      refuse};
    unsigned short count = 6;
    for (size_t i = 0; i < sizeof refused_calls / sizeof *refused_calls; ++i) {
        steps[count++] = (struct sock_filter)BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, refused_calls[i], 0, 1);
        steps[count++] = refuse;
    }
    for (size_t i = 0; signals_too && i < sizeof signal_calls / sizeof *signal_calls; ++i) {
        steps[count++] = (struct sock_filter)BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, signal_calls[i], 0, 1);
        steps[count++] = refuse;
    }
    if (signals_too) {
        steps[count++] = (struct sock_filter)BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_tgkill, 0, 3);
        steps[count++] = (struct sock_filter)BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(struct seccomp_data, args[2]));
        steps[count++] = (struct sock_filter)BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SIGABRT, 1, 0);
        steps[count++] = refuse;
    }
    steps[count++] = allow;
    const struct sock_fprog program = {count, steps};
    return !prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &program, 0, 0);
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
    bool scopes = version >= SCOPE_SIGNALS_SINCE && !confinement->distributes;
    struct rules handled = {READ | write | DEVICES, 0, scopes ? SCOPE_SIGNALS : 0};
    size_t size = scopes ? sizeof handled : sizeof handled.files; /* of which older kernels know as much */
    int rules = version > 0 ? (int)syscall(SYS_landlock_create_ruleset, &handled, size, 0) : -1;
    if (rules < 0)
        return -1;
    allow(rules, system_places, READ);
    allow(rules, null_device, READ | write);
    allow(rules, confinement->read, READ);
    allow(rules, confinement->write, READ | write);
    return rules;
}

bool confine_enter(const struct confinement *confinement, int prepared) {
    bool filters = !confinement->distributes && can_filter();
    bool scoped = prepared >= 0 && kernel_version() >= SCOPE_SIGNALS_SINCE;
    return !prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) &&
           (prepared < 0 || !syscall(SYS_landlock_restrict_self, prepared, 0)) && (!filters || refuse_calls(!scoped));
}
