/* From reset to main, and what happens when something traps. */
#include "registers.h"

#include "strand/console.h"
#include "strand/interrupts.h"

#include <board.h>
#include <stdio.h>

enum { SOURCES = 32, PLIC_ENABLE = 0x2000, PLIC_THRESHOLD = 0x200000, PLIC_CLAIM = 0x200004 };
enum { PLIC_ENABLES = 0x80, PLIC_CONTEXT = 0x1000 }; /* from one hart's to the next one's */
enum { EXIT_CODE = 0, EXIT_COMMAND = 4, EXIT_END = 1, TRAP_EXIT_CODE = 120 };

#define CAUSE_INTERRUPT ((uintptr_t)1 << (__riscv_xlen - 1))
#define CAUSE_TIMER     (CAUSE_INTERRUPT | 7)
#define CAUSE_EXTERNAL  (CAUSE_INTERRUPT | 11)

extern void (*const image_init_start[])(void);
extern void (*const image_init_end[])(void);

int main(void);
int strand_main(void);
void strand_trap(uintptr_t cause, uintptr_t pc, uintptr_t value);

static struct {
    void (*handler)(void *argument);
    void *argument;
} handlers[SOURCES];

static uintptr_t plic_context(uintptr_t place, uintptr_t each) {
    return BOARD_PLIC_BASE + place + each * strand_hart_number();
}

void strand_interrupt_handle(unsigned source, void (*handler)(void *argument), void *argument) {
    handlers[source].handler = handler;
    handlers[source].argument = argument;
    REGISTER_32(BOARD_PLIC_BASE + 4 * source) = 1;
    REGISTER_32(plic_context(PLIC_ENABLE, PLIC_ENABLES)) |= UINT32_C(1) << source;
    strand_interrupts_select(MIE_EXTERNAL, 0);
}

static void handle_external(void) {
    uint32_t source = REGISTER_32(plic_context(PLIC_CLAIM, PLIC_CONTEXT));
    if (source < SOURCES && handlers[source].handler)
        handlers[source].handler(handlers[source].argument);
    REGISTER_32(plic_context(PLIC_CLAIM, PLIC_CONTEXT)) = source;
}

void strand_trap(uintptr_t cause, uintptr_t pc, uintptr_t value) {
    if (cause == CAUSE_TIMER) {
        strand_clock_interrupt();
    } else if (cause == CAUSE_EXTERNAL) {
        handle_external();
    } else {
        printf("trap: cause %lu at 0x%08lx, value 0x%08lx\n", (unsigned long)cause, (unsigned long)pc,
               (unsigned long)value);
        strand_finish(TRAP_EXIT_CODE);
    }
}

void strand_finish(int code) {
    strand_console_flush();
    REGISTER_32(BOARD_EXIT0_BASE + EXIT_CODE) = (uint32_t)code;
    for (;;)
        REGISTER_32(BOARD_EXIT0_BASE + EXIT_COMMAND) = EXIT_END;
}

/* Called by start.S once memory is as C expects it; what it returns is the exit code. */
int strand_main(void) {
    REGISTER_32(plic_context(PLIC_THRESHOLD, PLIC_CONTEXT)) = 0;
    if (!strand_hart_number()) /* whose console all share */
        strand_console_open();
    for (void (*const *init)(void) = image_init_start; init < image_init_end; ++init)
        (*init)();
    strand_interrupts_restore(8);
    return main();
}
