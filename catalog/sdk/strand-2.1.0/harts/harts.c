#include "strand/harts.h"

#include "../core/registers.h"

#include <board.h>
#include <strand/interrupts.h>
#include <string.h>

/* A software interrupt of a hart: a word each, ACLINT 1.0. */
#define SOFTWARE_INTERRUPT(hart) REGISTER_32(BOARD_ACLINT_BASE + 4 * (hart))

/* What stands before an image that is to be copied: where it starts, and how many bytes to copy. */
enum { HEAD_BYTES = 64 };
struct image_head {
    uint64_t start, size_bytes;
};

/* Symbols of the linker script; their addresses are the numbers. */
extern char image_hart_first[], image_hart_count[];

static void (*other_program)(unsigned hart);

void strand_hart_main(unsigned hart);

unsigned strand_hart(void) {
    return strand_hart_number() - (unsigned)(uintptr_t)image_hart_first;
}

void strand_harts_start(void (*program)(unsigned hart)) {
    unsigned first = (unsigned)(uintptr_t)image_hart_first, count = (unsigned)(uintptr_t)image_hart_count;
    other_program = program;
    strand_harts_fence();
    for (unsigned hart = 1; hart < count; ++hart)
        SOFTWARE_INTERRUPT(first + hart) = 1;
}

int strand_image_start(uintptr_t base, unsigned first) {
    const struct image_head *head = (const struct image_head *)base;
    if (!head->size_bytes || head->size_bytes == UINT64_MAX)
        return -1;
    memcpy((void *)(uintptr_t)head->start, (const char *)base + HEAD_BYTES, (size_t)head->size_bytes);
    strand_harts_fence();
    SOFTWARE_INTERRUPT(first) = 1;
    return 0;
}

void strand_hart_call(unsigned hart) {
    strand_harts_fence();
    SOFTWARE_INTERRUPT(hart) = 1;
}

/* The interrupt ends the sleep and is not taken. */
void strand_hart_wait(void) {
    unsigned hart = strand_hart_number();
    uint32_t interrupts = strand_interrupts_off();
    strand_interrupts_select(MIE_SOFTWARE, 0);
    while (!SOFTWARE_INTERRUPT(hart))
        strand_interrupt_wait();
    SOFTWARE_INTERRUPT(hart) = 0;
    strand_interrupts_select(0, MIE_SOFTWARE);
    strand_interrupts_restore(interrupts);
    strand_harts_fence();
}

/* Where a hart that is not the first comes to (start.S). */
void strand_hart_main(unsigned hart) {
    SOFTWARE_INTERRUPT(strand_hart_number()) = 0;
    other_program(hart);
}
