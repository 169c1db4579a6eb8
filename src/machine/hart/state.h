/* A hart's state: all that tells one moment of it from another, as plain data without pointers. Registers hold XLEN bits; CSRs
   and the program counter hold them in 64, zero above. */
#ifndef TA_MACHINE_HART_STATE_H
#define TA_MACHINE_HART_STATE_H

#include <stdbool.h>
#include <stdint.h>

/* Causes and interrupts: Privileged Architecture 1.12, table 3.6. */
enum {
    CAUSE_FETCH_MISALIGNED = 0,
    CAUSE_FETCH_ACCESS = 1,
    CAUSE_ILLEGAL = 2,
    CAUSE_BREAKPOINT = 3,
    CAUSE_LOAD_MISALIGNED = 4,
    CAUSE_LOAD_ACCESS = 5,
    CAUSE_STORE_MISALIGNED = 6,
    CAUSE_STORE_ACCESS = 7,
    CAUSE_ECALL_U = 8,
    CAUSE_ECALL_M = 11,

    INTERRUPT_SOFTWARE = 3,
    INTERRUPT_TIMER = 7,
    INTERRUPT_EXTERNAL = 11,
    INTERRUPT_BITS = 1 << INTERRUPT_SOFTWARE | 1 << INTERRUPT_TIMER | 1 << INTERRUPT_EXTERNAL
};

enum hart_mode { MODE_USER = 0, MODE_MACHINE = 3 };

#define MSTATUS_MIE  UINT64_C(0x8)
#define MSTATUS_MPIE UINT64_C(0x80)
#define MSTATUS_MPP  UINT64_C(0x1800)
#define MSTATUS_FS   UINT64_C(0x6000)
#define MSTATUS_MPRV UINT64_C(0x20000)
#define MSTATUS_TW   UINT64_C(0x200000)

enum { CSR_MINSTRET = 0xb02, CSR_MINSTRETH = 0xb82 };

enum { PMP_REGIONS = 16, PMP_GRAIN_BITS = 2 };

#define NO_ADDRESS UINT64_MAX

struct hart_state {
    union {
        uint32_t w32[33];
        uint64_t w64[33];
    } x; /* the last takes what is written to x0 */
    uint64_t f[32];
    uint64_t pc;

    uint64_t cycle;   /* of the hart's own clock since power-on */
    uint64_t retired; /* instructions since power-on */

    uint64_t mstatus, mie, mip, mtvec, mscratch, mepc, mcause, mtval, mcounteren, fcsr;
    uint64_t cycle_offset, retired_offset; /* what writes to mcycle and minstret added */
    uint64_t pmp_address[PMP_REGIONS];
    uint8_t pmp_config[PMP_REGIONS];
    uint8_t mode;       /* enum hart_mode */
    bool held;          /* in reset until somebody releases it */
    bool waiting;       /* after wfi, until an interrupt is pending */
    bool waiting_input; /* inside a semihosting read, until the console has something */

    uint64_t reserved_address; /* of LR; NO_ADDRESS for none */
    uint64_t reserved_bytes;

    /* Whether the hart comes to anything: exceptions from one place and of one cause, without an mret between them. */
    uint64_t trap_pc, trap_cause, trap_retired;
    unsigned trap_repeats;
    uint64_t first_cause, first_pc, first_value; /* of the exception that nothing came of since */
};

#endif
