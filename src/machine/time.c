/* The board's clock and those of its harts. */
#include "machine/board.h"

uint64_t board_hart_cycle(const struct ta_machine *machine, const struct board_hart *hart, uint64_t cycle) {
    uint64_t board_hz = machine->profile->clock_hz;
    return hart->clock_hz == board_hz ? cycle : scale_ceiling(cycle, hart->clock_hz, board_hz);
}

uint64_t board_hart_now(const struct ta_machine *machine, const struct board_hart *hart) {
    uint64_t board_hz = machine->profile->clock_hz, cycle = hart->hart.state.cycle;
    return hart->clock_hz == board_hz ? cycle : scale_floor(cycle, board_hz, hart->clock_hz);
}

void board_skip(struct ta_machine *machine, uint64_t cycle) {
    machine->cycle = cycle > machine->cycle ? cycle : machine->cycle;
    for (size_t i = 0; i < machine->hart_count; ++i) {
        struct hart_state *state = &machine->harts[i].hart.state;
        uint64_t own = board_hart_cycle(machine, &machine->harts[i], cycle);
        state->cycle = own > state->cycle ? own : state->cycle;
    }
}
