/* The cross compilers on this computer: found on PATH, tried for real, remembered until one of them changes. */
#ifndef TA_HOST_TOOLCHAINS_H
#define TA_HOST_TOOLCHAINS_H

#include "core/model/isa.h"
#include "core/plan/plan.h"
#include "host/store.h"

#include <stdbool.h>

/* A compiler. REASON and FIX are set when it cannot make code for the ISA that was asked for. */
struct found_toolchain {
    struct toolchain tool;
    bool usable;
    const char *reason, *fix;
};

struct found_toolchains {
    struct found_toolchain *items;
    size_t count;
};

/* Finds all on PATH and in FOLDERS (may be null), GCC before clang, newer before older; memory from ARENA. STORE (may be null)
   remembers what they answered; when they had to be asked, *LEARNED holds their answers, which toolchains_remember puts into a
   store and frees; else it is null. Finding none is no error. */
struct toolchain_answers;
enum ta_status toolchains_find(struct arena *arena, const struct isa *isa, const struct texts *folders,
                               struct store *store, bool (*cancelled)(void *), void *cancelled_with,
                               struct found_toolchains *found, struct toolchain_answers **learned,
                               struct ta_problem *why);
void toolchains_remember(struct toolchain_answers *answers, struct store *store);

/* What to type when there is no compiler at all. */
extern const char toolchains_install_fix[];

#endif
