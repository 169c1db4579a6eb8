/* The smallest program that a watcher can see: one lamp and one line. */
#include <stdio.h>
#include <strand/clock.h>
#include <strand/lamps.h>

enum { BLINK_US = 500000 };

int main(void) {
    printf("first light\n");
    for (uint32_t lamp = 1;; lamp ^= 1) {
        strand_lamps_show(lamp);
        strand_clock_sleep(BLINK_US);
    }
}
