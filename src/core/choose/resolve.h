/* Choosing versions of packages that need each other in ranges. The search is complete: when there is a choice in which all
   ranges hold, it is found. */
#ifndef TA_CORE_CHOOSE_RESOLVE_H
#define TA_CORE_CHOOSE_RESOLVE_H

#include "base/arena.h"
#include "core/model/models.h"
#include "tameanchor/status.h"

#include <stdbool.h>

/* One version of a package, and what it needs of others. */
struct candidate {
    const char *version;
    struct needs needs;
};

/* A package with its versions, the one that is wanted most first (as a rule the newest). */
struct candidates {
    const char *name;
    struct candidate *items;
    size_t count;
};

/* What somebody asks for: BY ("tide-lamp", "strand 2.1.0") needs NAME in RANGE; with FORBIDDEN, wants it not to be there. */
struct requirement {
    const char *by, *name, *range;
    bool forbidden;
};

/* What came of it. */
struct resolution {
    bool found;
    /* When found: for each package the index of the version that is taken, or -1 where it is not needed. */
    int *chosen;
    /* Else: requirements that cannot hold together, and would without any one of them; of all such sets a smallest, unless the
       catalog has more than 64 different requirements. */
    struct requirement *conflict;
    size_t conflict_count;
};

/* Chooses for the ROOTS. What is taken is decided in this order: first the packages of the roots, in their order, then what
   those that were taken need, in theirs; each gets its first version with which the rest can still be done. So the same
   question has the same answer always. TA_OK whether found or not; TA_E_INPUT where the search takes too long,
   TA_E_MEMORY. Memory is ARENA's. */
enum ta_status resolve(struct arena *arena, const struct candidates *packages, size_t count,
                       const struct requirement *roots, size_t root_count, struct resolution *resolution,
                       struct ta_problem *why);

#endif
