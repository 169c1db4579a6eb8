#include "strand/button.h"

#include "strand/interrupts.h"

#include <board.h>

enum { GPIO_RISE = 0x10, GPIO_FALL = 0x14, GPIO_PENDING = 0x18 };

#define PIN_BIT (UINT32_C(1) << BOARD_BUTTON_A_PIN)

static volatile uint32_t presses;

static volatile uint32_t *gpio(unsigned offset) {
    return (volatile uint32_t *)(BOARD_BUTTON_A_BASE + offset);
}

static void button_interrupt(void *argument) {
    (void)argument;
    presses = presses + 1;
    *gpio(GPIO_PENDING) = PIN_BIT;
}

void strand_button_open(void) {
    *gpio(GPIO_PENDING) = PIN_BIT;
    *gpio(BOARD_BUTTON_A_ACTIVE_LOW ? GPIO_FALL : GPIO_RISE) |= PIN_BIT;
    strand_interrupt_handle(BOARD_BUTTON_A_INTERRUPT, button_interrupt, 0);
}

uint32_t strand_button_presses(void) {
    return presses;
}
