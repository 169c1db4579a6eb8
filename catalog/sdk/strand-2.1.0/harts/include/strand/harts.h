/* The other harts of a board: those that share this image, and those that have an image of their own. */
#ifndef STRAND_HARTS_H
#define STRAND_HARTS_H

#include <stdint.h>

/* Which of the harts of this image this is: 0 runs main, the others what strand_harts_start gives them. */
unsigned strand_hart(void);

/* Starts the other harts of this image with PROGRAM, which gets the hart's number in the image, 1 and up. Each has a stack of its own;
   all share memory. A hart whose program returns sleeps. */
void strand_harts_start(void (*program)(unsigned hart));

/* Copies the image that is kept at BASE (BOARD_..._IMAGE_BASE of board.h) to where it runs, and releases FIRST
   (BOARD_..._HARTS_FIRST), the first of its harts. 0, or -1 when there is no image at BASE. */
int strand_image_start(uintptr_t base, unsigned first);

/* Wakes HART, as the board counts them (BOARD_..._HARTS_FIRST of board.h), from strand_hart_wait; one that does not wait now will not wait the next
   time. */
void strand_hart_call(unsigned hart);

/* Lets this hart sleep until another one calls it. It may have been called for its start: look whether there is something to do. */
void strand_hart_wait(void);

/* What is written before it is seen by the other harts before what is written behind it. */
static inline void strand_harts_fence(void) {
    __asm__ volatile("fence rw, rw" ::: "memory");
}

#endif
