/* How parts on a bus of two wires are read and written, most of them alike: the first byte written names a register, the following ones
   go into it and those behind it; what is read comes from where the last write left off. */
#ifndef TA_MACHINE_BUS_PART_H
#define TA_MACHINE_BUS_PART_H

#include "tameanchor/device.h"

struct bus_part {
    uint8_t at;     /* the register that comes next */
    uint8_t naming; /* the next byte written names it */
};

static inline void bus_part_keep(struct bus_part *part, struct ta_keeper *keeper) {
    TA_KEEP(keeper, part->at);
    TA_KEEP(keeper, part->naming);
}

/* True when STEP reaches a register, *AT: BYTE goes into it, or what it holds becomes BYTE. */
static inline bool bus_part_step(struct bus_part *part, enum ta_transfer step, const uint8_t *byte, uint8_t *at) {
    bool names = step == TA_TRANSFER_TAKE && part->naming, moves = step == TA_TRANSFER_TAKE || step == TA_TRANSFER_GIVE;
    part->naming = step == TA_TRANSFER_WRITES;
    *at = part->at;
    if (names)
        part->at = *byte;
    else if (moves)
        ++part->at;
    return moves && !names;
}

#endif
