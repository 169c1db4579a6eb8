/* Messages between the keeper and the workers, in the memory that all of them share. The keeper fills a task and makes its number one more; a
   worker that sees a new number computes, fills the answer, and makes that number the same. */
#ifndef POST_H
#define POST_H

#include <board.h>
#include <stdint.h>

enum { POST_WORKERS = BOARD_WORKERS_HARTS, POST_READINGS = 32 };

struct post {
    struct task {
        volatile uint32_t number;
        uint32_t readings[POST_READINGS]; /* centimetres */
    } tasks[POST_WORKERS];
    struct answer {
        volatile uint32_t number;
        uint32_t mean_mm, spread_mm; /* of the readings: the mean, and the standard deviation */
        uint32_t hart;
    } answers[POST_WORKERS];
};

#define POST ((struct post *)BOARD_SHARED_MEMORY_BASE)

/* A reading of gauge GAUGE at beat BEAT: waves on a tide, the same on every board. */
uint32_t post_reading(unsigned gauge, unsigned beat);

#endif
