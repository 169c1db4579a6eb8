/* The keeper: tells which logic the fabric holds, gives the workers readings at each beat, and checks what comes back. */
#include "post.h"

#include <fabric.h>
#include <stdio.h>
#include <strand/clock.h>
#include <strand/fabric.h>
#include <strand/harts.h>
#include <strand/lamps.h>

enum { PATIENCE_US = 50000, CHECKED = 0, WRONG = 1 }; /* the last two: places among the fabric's notes */

static int tell_fabric(void) {
    static const uint8_t expected[] = FABRIC_IDENTITY;
    uint8_t identity[STRAND_FABRIC_IDENTITY_BYTES];
    if (!strand_fabric_loaded()) {
        printf("the fabric is blank\n");
        return -1;
    }
    strand_fabric_identity(identity);
    printf("fabric %s %02x%02x%02x%02x, built %ld\n", strand_fabric_is(expected) ? FABRIC_NAME : "of somebody else",
           identity[0], identity[1], identity[2], identity[3], (long)strand_fabric_built());
    return strand_fabric_is(expected) ? 0 : -1;
}

static void ask(unsigned worker, unsigned beat) {
    struct task *task = &POST->tasks[worker];
    for (unsigned i = 0; i < POST_READINGS; ++i)
        task->readings[i] = post_reading(worker, beat + i);
    strand_harts_fence();
    task->number = beat;
    strand_hart_call(BOARD_WORKERS_HARTS_FIRST + worker);
}

/* The mean as the keeper computes it, from the same readings. */
static uint32_t mean_mm(unsigned worker, unsigned beat) {
    uint32_t sum = 0;
    for (unsigned i = 0; i < POST_READINGS; ++i)
        sum += post_reading(worker, beat + i);
    return (sum * 10 + POST_READINGS / 2) / POST_READINGS;
}

static void check(unsigned worker, unsigned beat) {
    struct answer *answer = &POST->answers[worker];
    uint64_t end_us = strand_clock_us() + PATIENCE_US;
    while (answer->number != beat && strand_clock_us() < end_us)
        strand_clock_sleep(100);
    strand_harts_fence();
    uint32_t expected = mean_mm(worker, beat);
    int good =
        answer->number == beat && answer->mean_mm == expected && answer->hart == BOARD_WORKERS_HARTS_FIRST + worker;
    uintptr_t notes = FABRIC_NOTES_BASE;
    strand_fabric_set(notes, good ? CHECKED : WRONG, strand_fabric_register(notes, good ? CHECKED : WRONG) + 1);
    if (!good)
        printf("worker %u is wrong at beat %u: %lu mm, expected %lu mm\n", worker, beat, (unsigned long)answer->mean_mm,
               (unsigned long)expected);
    else
        strand_fabric_add(FABRIC_STEADY_BASE, answer->mean_mm);
}

int main(void) {
    uint32_t beat = 0;
    for (unsigned i = 0; i < POST_WORKERS; ++i)
        POST->tasks[i].number = POST->answers[i].number = 0;
    printf("watch-board ready\n");
    if (tell_fabric())
        return 1;
    if (strand_image_start(BOARD_WORKERS_IMAGE_BASE, BOARD_WORKERS_HARTS_FIRST)) {
        printf("there is no image for the workers\n");
        return 1;
    }
    for (;;) {
        while (strand_fabric_count(FABRIC_BEAT_BASE) == beat)
            strand_clock_sleep(500);
        beat = strand_fabric_count(FABRIC_BEAT_BASE);
        strand_lamps_show(UINT32_C(1) << beat % BOARD_LAMPS_COUNT);
        for (unsigned i = 0; i < POST_WORKERS; ++i)
            ask(i, beat);
        for (unsigned i = 0; i < POST_WORKERS; ++i)
            check(i, beat);
        if (beat % 5 == 0)
            printf("beat %lu: %lu answers checked, %lu wrong, steady at %lu mm, spread %lu mm\n", (unsigned long)beat,
                   (unsigned long)strand_fabric_register(FABRIC_NOTES_BASE, CHECKED),
                   (unsigned long)strand_fabric_register(FABRIC_NOTES_BASE, WRONG),
                   (unsigned long)strand_fabric_mean(FABRIC_STEADY_BASE), (unsigned long)POST->answers[0].spread_mm);
    }
}
