/* Traps: what was wrong with what an instruction touched, and how its hart came there. */
#ifndef TAMEANCHOR_TRAP_H
#define TAMEANCHOR_TRAP_H

#include "tameanchor/port.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What the value of TRAP (an event of that kind) tells on a board of PROFILE, as a sentence without its end: "0x00000044 is not memory;
   a null pointer plus 68?". Empty where it tells nothing. */
enum { TA_TRAP_TEXT_BYTES = 160 };
void ta_trap_explain(const struct ta_profile *profile, const struct ta_event *trap, char text[TA_TRAP_TEXT_BYTES]);

/* Where a hart was when it trapped: x0 to x31 and pc as they were at the instruction, the bits of that instruction, the branches that it
   took last (the last one last), and what its stack held from sp on. What the port could not tell is left empty. */
enum { TA_SCENE_STACK_BYTES = 4096 };
struct ta_scene {
    unsigned hart, xlen;
    uint64_t cause, value, registers[33];
    uint32_t instruction;
    struct ta_branch branches[TA_BRANCHES];
    size_t branch_count;
    uint64_t stack_address;
    size_t stack_length;
    uint8_t stack[TA_SCENE_STACK_BYTES];
};

/* Whether EVENT is the trap to tell of, when KNOWN (may be null) was it so far: the first trap, or the one that a hart ran wild because
   of. */
bool ta_trap_counts(const struct ta_event *event, const struct ta_event *known);

/* Fills SCENE from PORT for EVENT, a trap or the stop of a hart that ran wild, right after it came. */
void ta_scene_take(const struct ta_port *port, const struct ta_event *event, struct ta_scene *scene);

/* "sp", "a0", "pc": register NUMBER of registers.h, 0 to TA_REGISTER_PC, by its name in the calling convention. */
const char *ta_register_name(unsigned number);

/* The instruction BITS at PC as assembler writes it ("lw a5,4(a0)"), of harts of ISA (a naming string). Empty when it is none there. */
enum { TA_INSTRUCTION_TEXT_BYTES = 64 };
void ta_instruction_text(const char *isa, uint64_t pc, uint32_t bits, char text[TA_INSTRUCTION_TEXT_BYTES]);

#ifdef __cplusplus
}
#endif
#endif
