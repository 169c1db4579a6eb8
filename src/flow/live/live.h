/* A live target on this computer: with its pace, what the bench keeps of it, and who may end it. */
#ifndef TA_FLOW_LIVE_LIVE_H
#define TA_FLOW_LIVE_LIVE_H

#include "flow/deploy/target.h"
#include "tameanchor/live.h"

/* A live target over TARGET, held by this process. */
struct live {
    struct ta_live *live;
    struct target *target;
    bool keeps;         /* the bench keeps what the target writes */
    bool at_board_pace; /* device time goes no faster than the host's */
    bool has_limit;     /* an interrupted one has not come to its end */
    gint64 start_us, kept_us;
    uint64_t *positions; /* of the switches, as the bench has them */
};

/* Opens it over TARGET, which is open. Closed by live_close, also on failure; what the target wrote until then is kept. */
enum ta_status live_open(struct live *live, struct target *target, struct ta_problem *why);
void live_close(struct live *live);

/* Has the bench keep what the target wrote since it was asked last, and how its switches stand. Done every second, too: a killed process
   leaves the target as a loss of power does. */
enum ta_status live_keep(struct live *live, struct ta_problem *why);

#endif
