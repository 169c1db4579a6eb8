/* Where harts start: sets up registers and memory as C expects them, then calls strand_main. Also the few things that
   C cannot say: the trap's entry, and CSRs. The symbols image_... come from the generated linker script. */

#if __riscv_xlen == 64
#define WORD 8
#define LOAD ld
#define STORE sd
#else
#define WORD 4
#define LOAD lw
#define STORE sw
#endif

/* A function, as debuggers know one: named here, and ended. */
    .macro function name
    .type \name, @function
\name:
    .endm
    .macro end name
    .size \name, . - \name
    .endm

    .section .text.start, "ax", %progbits
    .globl _start
    function _start
    .option push
    .option norelax
    la gp, __global_pointer$
    .option pop
    la sp, image_stack_top
    la t0, trap_entry
    csrw mtvec, t0
#ifdef __riscv_flen
    li t0, 0x2000 /* mstatus.FS: floating point is on */
    csrs mstatus, t0
#endif

    /* Each hart of the image has a stack, the first one the topmost. */
    csrr s0, mhartid
    lui t0, %hi(image_hart_first)
    addi t0, t0, %lo(image_hart_first)
    sub s0, s0, t0
    lui t1, %hi(image_stack_size)
    addi t1, t1, %lo(image_stack_size)
    mv t0, s0
1:  beqz t0, 2f
    sub sp, sp, t1
    addi t0, t0, -1
    j 1b
    /* What lies below its stack is protected from it, so that a stack that runs over traps. */
2:  lui t0, %hi(image_guard_bytes)
    addi t0, t0, %lo(image_guard_bytes)
    sub t1, sp, t1
    sub t0, t1, t0
    srli t1, t1, 2
    srli t0, t0, 2
    csrw pmpaddr0, t0
    csrw pmpaddr1, t1
    li t0, 0x8800 /* pmpaddr0 to pmpaddr1: nothing is allowed, locked */
    csrw pmpcfg0, t0
    bnez s0, start_other

    la a0, image_data_start
    la a1, image_data_end
    la a2, image_data_load
    call copy_words
    la a0, image_tls_start
    la a1, image_tls_end
    la a2, image_tls_load
    call copy_words
    la a0, image_bss_start
    la a1, image_bss_end
    call clear_words
    la tp, image_tls_start
    call strand_main
    tail strand_finish
    end _start

/* Another hart of the image waits until the first one starts it, by a software interrupt (component harts). Its thread's data lie on
   its stack. */
    .weak strand_hart_main
    function start_other
    csrwi mie, 8
1:  csrr t0, mip
    andi t0, t0, 8
    bnez t0, 2f
    wfi
    j 1b
2:  csrwi mie, 0
    lui t1, %hi(image_tls_bytes)
    addi t1, t1, %lo(image_tls_bytes)
    sub sp, sp, t1
    andi sp, sp, -16
    mv tp, sp
    mv a0, sp
    add a1, a0, t1
    call clear_words
    la a2, image_tls_load
    la t0, image_tls_start
    la t1, image_tls_end
    sub t1, t1, t0
    mv a0, sp
    add a1, a0, t1
    call copy_words
    mv a0, s0
    call strand_hart_main
1:  wfi
    j 1b
    end start_other

/* Copies words from a2 to a0 until a0 reaches a1. */
    function copy_words
    bgeu a0, a1, 1f
    lw t0, 0(a2)
    sw t0, 0(a0)
    addi a0, a0, 4
    addi a2, a2, 4
    j copy_words
1:  ret
    end copy_words

/* Clears words from a0 to a1. */
    function clear_words
    bgeu a0, a1, 1f
    sw zero, 0(a0)
    addi a0, a0, 4
    j clear_words
1:  ret
    end clear_words

/* Saves what a C function may change, calls strand_trap(mcause, mepc, mtval), and goes back. */
    .macro each_register do
    \do ra, 0
    \do t0, 1
    \do t1, 2
    \do t2, 3
    \do a0, 4
    \do a1, 5
    \do a2, 6
    \do a3, 7
    \do a4, 8
    \do a5, 9
    \do a6, 10
    \do a7, 11
    \do t3, 12
    \do t4, 13
    \do t5, 14
    \do t6, 15
    .endm
    .macro save register, place
    STORE \register, (\place * WORD)(sp)
    .endm
    .macro restore register, place
    LOAD \register, (\place * WORD)(sp)
    .endm

    .text
    .balign 4
    function trap_entry
    addi sp, sp, -16 * WORD
    each_register save
    csrr a0, mcause
    csrr a1, mepc
    csrr a2, mtval
    call strand_trap
    each_register restore
    addi sp, sp, 16 * WORD
    mret
    end trap_entry

/* uint32_t strand_interrupts_off(void); the old enable bit of mstatus. */
    .globl strand_interrupts_off
    function strand_interrupts_off
    csrrci a0, mstatus, 8
    andi a0, a0, 8
    ret
    end strand_interrupts_off

/* void strand_interrupts_restore(uint32_t before); */
    .globl strand_interrupts_restore
    function strand_interrupts_restore
    andi a0, a0, 8
    csrs mstatus, a0
    ret
    end strand_interrupts_restore

/* void strand_interrupt_wait(void); */
    .globl strand_interrupt_wait
    function strand_interrupt_wait
    wfi
    ret
    end strand_interrupt_wait

/* void strand_interrupts_select(uint32_t set, uint32_t clear); bits of mie. */
    .globl strand_interrupts_select
    function strand_interrupts_select
    csrs mie, a0
    csrc mie, a1
    ret
    end strand_interrupts_select

/* unsigned strand_hart_number(void); as the board counts them. */
    .globl strand_hart_number
    function strand_hart_number
    csrr a0, mhartid
    ret
    end strand_hart_number
