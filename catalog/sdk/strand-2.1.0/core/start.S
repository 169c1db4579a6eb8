/* Where the hart starts: sets up registers and memory as C expects them, then calls strand_main. Also the few things that
   C cannot say: the trap's entry, and CSRs. The symbols image_... come from the generated linker script. */

    .section .text.start, "ax", %progbits
    .globl _start
_start:
    .option push
    .option norelax
    la gp, __global_pointer$
    .option pop
    la sp, image_stack_top
    la t0, trap_entry
    csrw mtvec, t0

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
1:  bgeu a0, a1, 2f
    sw zero, 0(a0)
    addi a0, a0, 4
    j 1b

2:  la tp, image_tls_start
    call strand_main
    tail strand_finish

/* Copies words from a2 to a0 until a0 reaches a1. */
copy_words:
    bgeu a0, a1, 1f
    lw t0, 0(a2)
    sw t0, 0(a0)
    addi a0, a0, 4
    addi a2, a2, 4
    j copy_words
1:  ret

/* Saves what a C function may change, calls strand_trap(mcause, mepc, mtval), and goes back. */
    .text
    .balign 4
trap_entry:
    addi sp, sp, -64
    sw ra, 0(sp)
    sw t0, 4(sp)
    sw t1, 8(sp)
    sw t2, 12(sp)
    sw a0, 16(sp)
    sw a1, 20(sp)
    sw a2, 24(sp)
    sw a3, 28(sp)
    sw a4, 32(sp)
    sw a5, 36(sp)
    sw a6, 40(sp)
    sw a7, 44(sp)
    sw t3, 48(sp)
    sw t4, 52(sp)
    sw t5, 56(sp)
    sw t6, 60(sp)
    csrr a0, mcause
    csrr a1, mepc
    csrr a2, mtval
    call strand_trap
    lw ra, 0(sp)
    lw t0, 4(sp)
    lw t1, 8(sp)
    lw t2, 12(sp)
    lw a0, 16(sp)
    lw a1, 20(sp)
    lw a2, 24(sp)
    lw a3, 28(sp)
    lw a4, 32(sp)
    lw a5, 36(sp)
    lw a6, 40(sp)
    lw a7, 44(sp)
    lw t3, 48(sp)
    lw t4, 52(sp)
    lw t5, 56(sp)
    lw t6, 60(sp)
    addi sp, sp, 64
    mret

/* uint32_t strand_interrupts_off(void); the old enable bit of mstatus. */
    .globl strand_interrupts_off
strand_interrupts_off:
    csrrci a0, mstatus, 8
    andi a0, a0, 8
    ret

/* void strand_interrupts_restore(uint32_t before); */
    .globl strand_interrupts_restore
strand_interrupts_restore:
    andi a0, a0, 8
    csrs mstatus, a0
    ret

/* void strand_interrupt_wait(void); */
    .globl strand_interrupt_wait
strand_interrupt_wait:
    wfi
    ret

/* void strand_interrupts_select(uint32_t set, uint32_t clear); bits of mie. */
    .globl strand_interrupts_select
strand_interrupts_select:
    csrs mie, a0
    csrc mie, a1
    ret
