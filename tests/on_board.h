/* A machine in which the test plays the guest: loads and stores as a tiny program would make them. */
#ifndef TA_TESTS_ON_BOARD_H
#define TA_TESTS_ON_BOARD_H

#include "support.h"

#include "machine/board.h"

static struct ta_machine *machine;

static inline uint32_t peek(uint64_t address) {
    uint64_t value = 0;
    ck_assert(hart_load(&machine->harts[0].hart, address, 4, &value));
    return (uint32_t)value;
}

static inline void poke(uint64_t address, uint32_t value) {
    ck_assert(hart_store(&machine->harts[0].hart, address, 4, value));
}

/* The power comes on, with a program that goes round and round. */
static inline void switch_on(void) {
    ta_machine_power(machine, true);
    poke(machine->profile->reset_address, 0x6f); /* jal x0, 0 */
}

static inline void make_board(const struct ta_profile *profile) {
    struct ta_problem why;
    ck_assert_msg(!ta_machine_new(profile, NULL, 0, &machine, &why), "%s", why.what);
    switch_on();
}

/* Lets device time pass; tells TOLD of each event, unless that is null. */
static inline void pass_and(uint64_t ns, void (*told)(const struct ta_event *event)) {
    struct ta_event event;
    uint64_t until_ns = ta_machine_time_ns(machine) + ns;
    do {
        ta_machine_run(machine, until_ns, &event);
        if (told)
            told(&event);
    } while (event.kind != TA_EVENT_TIME);
}

static inline void pass(uint64_t ns) {
    pass_and(ns, NULL);
}

static inline void set(const char *name, uint64_t value) {
    struct ta_problem why;
    ck_assert_msg(!ta_machine_set_input(machine, name, value, &why), "%s", why.what);
}

#endif
