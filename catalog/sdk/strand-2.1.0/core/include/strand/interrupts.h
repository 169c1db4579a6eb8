/* Interrupts of the board's devices. Handlers run with interrupts off; keep them short. */
#ifndef STRAND_INTERRUPTS_H
#define STRAND_INTERRUPTS_H

#include <stdint.h>

/* Calls HANDLER with ARGUMENT whenever interrupt SOURCE (BOARD_..._INTERRUPT of board.h, 1 to 31) is raised. The
   handler must quieten its device. */
void strand_interrupt_handle(unsigned source, void (*handler)(void *argument), void *argument);

/* Turns interrupts off, and back to what they were. Pairs may nest. */
uint32_t strand_interrupts_off(void);
void strand_interrupts_restore(uint32_t before);

/* Lets the hart wait for the next interrupt. Call it with interrupts off, after looking whether there is something to
   do: an interrupt that came in between is not missed. */
void strand_interrupt_wait(void);

/* Ends the program with an exit code: 0 to 255. Never returns. */
void strand_finish(int code) __attribute__((noreturn));

#endif
