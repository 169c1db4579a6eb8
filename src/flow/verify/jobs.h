/* Trials that are wanted, run side by side on targets that hold the same. */
#ifndef TA_FLOW_VERIFY_JOBS_H
#define TA_FLOW_VERIFY_JOBS_H

#include "flow/deploy/target.h"

#include "tameanchor/trial.h"

/* One trial that is wanted, and what came of it: RECORDING, when STATUS is TA_OK and it was run at all, is the job's. */
struct job {
    const struct ta_trials *trials;
    size_t index;
    struct ta_recording *recording;
    enum ta_status status;
    struct ta_problem why;
};

/* Runs the COUNT jobs of JOBS on TARGET and, of a simulated one, on copies of it: as many as there are processors, as far as their memory
   goes. A job that is no verdict ends all of them, and so does the context's caller: TA_E_INTERRUPTED. The answer is that of the first of
   these, in the order of the jobs. */
enum ta_status jobs_run(struct target *target, struct job *jobs, size_t count, struct ta_problem *why);

#endif
