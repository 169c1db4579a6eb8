/* Tells the level once a second, and high water as soon as the gauge raises its alarm. */
#include <board.h>
#include <stdint.h>
#include <stdio.h>
#include <strand/clock.h>
#include <strand/interrupts.h>

enum { LEVEL = 0, ALARM = 1, HIGH_CM = 350, NEVER = -1 };

static volatile uint32_t *const gauge = (volatile uint32_t *)BOARD_GAUGE0_BASE;
static volatile uint32_t alarms;

/* The alarm stays until it is taken away. */
static void hear_alarm(void *argument) {
    (void)argument;
    gauge[ALARM] = (uint32_t)NEVER;
    ++alarms;
}

int main(void) {
    strand_interrupt_handle(BOARD_GAUGE0_INTERRUPT, hear_alarm, NULL);
    gauge[ALARM] = HIGH_CM;
    for (uint32_t told = 0, next_us = 0;;) {
        strand_clock_sleep_until(next_us);
        printf("level %lu cm\n", (unsigned long)gauge[LEVEL]);
        next_us += 1000000;
        for (; told != alarms; ++told)
            printf("high water\n");
    }
}
