/* The workers: each waits for its task, and answers it. */
#include "post.h"

#include <math.h>
#include <strand/harts.h>

static void answer(unsigned worker, unsigned number) {
    const struct task *task = &POST->tasks[worker];
    struct answer *answer = &POST->answers[worker];
    double sum = 0, squares = 0;
    for (unsigned i = 0; i < POST_READINGS; ++i) {
        double mm = task->readings[i] * 10.0;
        sum += mm;
        squares += mm * mm;
    }
    double mean = sum / POST_READINGS;
    answer->mean_mm = (uint32_t)(mean + 0.5);
    answer->spread_mm = (uint32_t)(sqrt(squares / POST_READINGS - mean * mean) + 0.5);
    answer->hart = BOARD_WORKERS_HARTS_FIRST + worker;
    strand_harts_fence();
    answer->number = number;
}

static void work(unsigned worker) {
    uint32_t done = 0;
    for (;;) {
        uint32_t number = POST->tasks[worker].number;
        if (number == done) {
            strand_hart_wait();
            continue;
        }
        strand_harts_fence();
        answer(worker, number);
        done = number;
    }
}

int main(void) {
    strand_harts_start(work);
    work(0);
    return 0;
}
