/* Device registers, and what core's files share. */
#ifndef STRAND_CORE_REGISTERS_H
#define STRAND_CORE_REGISTERS_H

#include <stdint.h>

#define REGISTER_8(address)  (*(volatile uint8_t *)(uintptr_t)(address))
#define REGISTER_32(address) (*(volatile uint32_t *)(uintptr_t)(address))

enum { MIE_SOFTWARE = 1 << 3, MIE_TIMER = 1 << 7, MIE_EXTERNAL = 1 << 11 };

/* Sets and clears bits of the CSR mie. (start.S) */
void strand_interrupts_select(uint32_t set, uint32_t clear);

/* The number of this hart, as the board counts them. (start.S) */
unsigned strand_hart_number(void);

/* The timer's compare value has come. (clock.c) */
void strand_clock_interrupt(void);

/* Opens the serial line. (console.c) */
void strand_console_open(void);

#endif
