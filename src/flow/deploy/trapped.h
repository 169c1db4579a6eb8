/* A trap in the terms of the source: where it was, what it touched, who had called, and how the hart came there. */
#ifndef TA_FLOW_TRAPPED_H
#define TA_FLOW_TRAPPED_H

#include "flow/project/project.h"
#include "tameanchor/trap.h"

/* What SCENE tells on a board of PROFILE whose IMAGES run. PLACE ("work (worker/main.c:11)") and WORDS may be empty. */
struct told_trap {
    char place[256], words[TA_TRAP_TEXT_BYTES];
    GPtrArray *calls; /* of strings, the innermost first */
};
void trap_tell(const struct images *images, const struct ta_profile *profile, const struct ta_scene *scene,
               struct told_trap *told);
void told_clear(struct told_trap *told);

/* Adds all of it to REPORT: a finding of LEVEL with FIX, and the calls, registers and branches. */
void trap_report(struct arena *arena, const struct images *images, const struct ta_profile *profile,
                 const struct ta_scene *scene, enum ta_level level, const char *fix, struct ta_report *report);

#endif
