#include "machine/hart/hart.h"

#include "machine/hart/host_floats.h"

#include <string.h>

const void *const *hart_execute_32(struct hart *hart, bool one);
const void *const *hart_execute_64(struct hart *hart, bool one);

enum ta_status hart_init(struct hart *hart, const struct isa *isa, const struct bus *bus,
                         const struct hart_outside *outside, void *with) {
    *hart = (struct hart){.bus = bus, .outside = outside, .with = with, .host_floats = host_floats_are_usual()};
    decoder_init(&hart->decoder, isa);
    hart->blocks.addresses = isa->xlen == 32 ? hart_execute_32(NULL, false) : hart_execute_64(NULL, false);
    if (blocks_init(&hart->blocks))
        return TA_E_MEMORY;
    hart_reset(hart);
    return TA_OK;
}

void hart_free(struct hart *hart) {
    blocks_free(&hart->blocks);
}

void hart_reset(struct hart *hart) {
    hart->state = (struct hart_state){.pc = hart->reset_address,
                                      .cycle = hart->state.cycle,
                                      .retired = hart->state.retired,
                                      .held = hart->held_at_reset,
                                      .mode = MODE_MACHINE,
                                      .mstatus = MSTATUS_MPP,
                                      .reserved_address = NO_ADDRESS};
    hart->step_over = NO_ADDRESS;
    hart_forget_all(hart);
}

static void execute(struct hart *hart, bool one) {
    hart->attention = false;
    host_floats_take_inexact(); /* of somebody else */
    if (hart->decoder.isa.xlen == 32)
        hart_execute_32(hart, one);
    else
        hart_execute_64(hart, one);
    hart_take_inexact(hart);
}

void hart_execute(struct hart *hart) {
    execute(hart, false);
}

void hart_step(struct hart *hart) {
    execute(hart, true);
}
