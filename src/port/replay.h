/* How a simulated target came to where it is: the last stretch of its run is run again, on a machine beside it, with the branches noted.
   To note them always would cost every run a tenth of its speed. */
#ifndef TA_PORT_REPLAY_H
#define TA_PORT_REPLAY_H

#include "tameanchor/snapshot.h"

struct replay {
    const struct ta_profile *profile;
    const struct ta_device_kind *const *models;
    size_t model_count;
    struct ta_snapshot *from; /* where the last stretch began, or null */
    uint64_t from_ns, from_retired;
    bool broken; /* somebody reached in since */
};

/* MACHINE is about to run: begins a new stretch, where the last one is long or broken. */
void replay_prepare(struct replay *replay, const struct ta_machine *machine);

/* The branches that HART of MACHINE took last, the last one last; how many. None when the stretch is broken. */
size_t replay_branches(struct replay *replay, const struct ta_machine *machine, unsigned hart,
                       struct ta_branch branches[TA_BRANCHES]);

void replay_end(struct replay *replay);

#endif
