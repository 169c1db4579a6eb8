/* Traps: Privileged Architecture 1.12, 3.1.6 to 3.1.8 and 3.3.2. */
#include "machine/hart/hart.h"

/* A hart whose exceptions come from one place, of one cause, again and again will not come to anything. */
enum { REPEATS_AT_MOST = 16 };

static void set_mode(struct hart *hart, enum hart_mode mode) {
    if (hart->state.mode == mode && !(hart->state.mstatus & MSTATUS_MPRV))
        return;
    hart->state.mode = (uint8_t)mode;
    hart_forget_pages(hart);
}

static void enter(struct hart *hart, uint64_t cause, uint64_t value) {
    struct hart_state *state = &hart->state;
    state->mepc = state->pc;
    state->mcause = cause;
    state->mtval = value;
    uint64_t previous = state->mstatus & MSTATUS_MIE ? MSTATUS_MPIE : 0;
    state->mstatus =
        (state->mstatus & ~(MSTATUS_MIE | MSTATUS_MPIE | MSTATUS_MPP)) | previous | (uint64_t)state->mode << 11;
    state->pc = state->mtvec & ~UINT64_C(3);
    set_mode(hart, MODE_MACHINE);
}

/* True when a hart comes to nothing any more: its handler is not in memory; or it trapped at its handler's first instruction and has
   done nothing since the exception before, so that it will do the same for ever; or the same exception came too often without an mret.
   A call is asked for, and is progress. */
static bool is_stuck(struct hart *hart, uint64_t cause, uint64_t value, enum ta_wild *why) {
    struct hart_state *state = &hart->state;
    uint64_t handler = state->mtvec & ~UINT64_C(3);
    bool call = cause == CAUSE_ECALL_M || cause == CAUSE_ECALL_U;
    bool again = state->trap_repeats && state->trap_pc == state->pc && state->trap_cause == cause && !call;
    bool idle = state->trap_repeats && state->retired == state->trap_retired && state->pc == handler;
    if (!again && !idle) {
        state->first_cause = cause;
        state->first_pc = state->pc;
        state->first_value = value;
        state->trap_repeats = 0;
    }
    state->trap_pc = state->pc;
    state->trap_cause = cause;
    state->trap_retired = state->retired;
    bool no_handler = !bus_memory(hart->bus, handler, 2);
    *why = no_handler ? TA_WILD_NO_HANDLER : idle ? TA_WILD_IN_HANDLER : TA_WILD_AGAIN;
    return ++state->trap_repeats > REPEATS_AT_MOST || idle || no_handler;
}

void hart_exception(struct hart *hart, uint64_t cause, uint64_t value) {
    struct hart_state *state = &hart->state;
    uint64_t at = state->pc;
    enum ta_wild why;
    bool stuck = is_stuck(hart, cause, value, &why);
    hart->outside->trapped(hart->with, hart, cause, at, value);
    if (stuck)
        hart->outside->stuck(hart->with, hart, why);
    enter(hart, cause, value);
}

void hart_take_interrupt(struct hart *hart) {
    static const unsigned priority[] = {INTERRUPT_EXTERNAL, INTERRUPT_SOFTWARE, INTERRUPT_TIMER};
    struct hart_state *state = &hart->state;
    uint64_t pending = state->mip & state->mie;
    if (!pending)
        return;
    state->waiting = false;
    if (state->waiting_input || (state->mode == MODE_MACHINE && !(state->mstatus & MSTATUS_MIE)))
        return;
    for (size_t i = 0; i < sizeof priority / sizeof *priority; ++i) {
        if (!(pending & (UINT64_C(1) << priority[i])))
            continue;
        bool vectored = (state->mtvec & 3) == 1;
        enter(hart, UINT64_C(1) << (hart->decoder.isa.xlen - 1) | priority[i], 0);
        state->pc += vectored ? 4 * priority[i] : 0;
        state->trap_repeats = 0;
        return;
    }
}

void hart_return(struct hart *hart) {
    struct hart_state *state = &hart->state;
    enum hart_mode mode = (enum hart_mode)(state->mstatus >> 11 & 3);
    uint64_t enabled = state->mstatus & MSTATUS_MPIE ? MSTATUS_MIE : 0;
    uint64_t mprv = mode == MODE_MACHINE ? state->mstatus & MSTATUS_MPRV : 0;
    bool other_data = (state->mstatus & MSTATUS_MPRV) != 0;
    state->mstatus = (state->mstatus & ~(MSTATUS_MIE | MSTATUS_MPP | MSTATUS_MPRV)) | MSTATUS_MPIE | enabled | mprv;
    state->pc = state->mepc;
    state->trap_repeats = 0;
    set_mode(hart, mode);
    if (other_data)
        hart_forget_pages(hart);
    hart->attention = hart->attention || (state->mip & state->mie);
}
