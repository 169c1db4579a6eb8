/* The arithmetic of the host, as floating_quick.h counts on it: rounding to nearest, no flushing, no traps, and a flag that says that a
   result was not exact. On x86 all of that is set and read here; on other hosts the mode is tried, and the flag is not known. */
#ifndef TA_MACHINE_HART_HOST_FLOATS_H
#define TA_MACHINE_HART_HOST_FLOATS_H

#include <stdbool.h>

#if defined(__SSE2_MATH__) && (defined(__GNUC__) || defined(__clang__))
enum { FLOAT_HOST_TELLS = 1, HOST_FLOATS_USUAL = 0x1f80, HOST_FLOATS_INEXACT = 0x20 };
/* To compilers arithmetic does not depend on these: a result counts as computed before them when it is in memory before. */
#define HOST_FLOATS_BARRIER() __asm__ volatile("" ::: "memory")
static inline unsigned host_floats_read(void) {
    HOST_FLOATS_BARRIER();
    return __builtin_ia32_stmxcsr();
}
static inline void host_floats_write(unsigned mode) {
    HOST_FLOATS_BARRIER();
    __builtin_ia32_ldmxcsr(mode);
    HOST_FLOATS_BARRIER();
}
#else
enum { FLOAT_HOST_TELLS = 0, HOST_FLOATS_USUAL = 0, HOST_FLOATS_INEXACT = 0 };
static inline unsigned host_floats_read(void) {
    return 0;
}
static inline void host_floats_write(unsigned mode) {
    (void)mode;
}
#endif

/* Whether the host rounds to nearest and keeps subnormal numbers now, by trying. (host_floats.c) */
bool host_floats_are_usual(void);

/* Sets the mode that is needed, and gives the one before, which the host gets back with host_floats_write. *USUAL: it could be set, or is
   that one anyway. */
static inline unsigned host_floats_enter(bool *usual) {
    unsigned before = host_floats_read();
    host_floats_write(HOST_FLOATS_USUAL);
    *usual = FLOAT_HOST_TELLS || host_floats_are_usual();
    return before;
}

/* Whether a result was not exact since the flag was lowered; lowers it. */
static inline bool host_floats_take_inexact(void) {
    unsigned mode = host_floats_read();
    if (!(mode & HOST_FLOATS_INEXACT))
        return false;
    host_floats_write(mode & ~(unsigned)HOST_FLOATS_INEXACT);
    return true;
}

#endif
