/* Any bytes as code and data of a board with two harts. */
#include "board.h"

#include <stdint.h>
#include <stdlib.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    struct ta_machine *machine = fuzz_board();
    struct ta_snapshot *snapshot;
    struct ta_event event;
    uint64_t trace;
    if (ta_machine_write(machine, RAM, data, size < RAM_BYTES ? size : RAM_BYTES))
        abort();
    for (unsigned i = 1; i < 32; ++i)
        ta_machine_set_register(machine, i % 2, i, RAM + 0x10000 * (i % 3) + 64 * i);
    for (int i = 0; i < 40; ++i)
        ta_machine_run(machine, ta_machine_time_ns(machine) + 5000, &event);
    /* What is saved and restored goes on as it would have. */
    if (ta_machine_save(machine, &snapshot))
        abort();
    ta_machine_run(machine, ta_machine_time_ns(machine) + 50000, &event);
    trace = ta_machine_trace(machine);
    if (ta_machine_restore(machine, snapshot, NULL))
        abort();
    ta_machine_run(machine, ta_machine_time_ns(machine) + 50000, &event);
    if (ta_machine_trace(machine) != trace)
        abort();
    ta_snapshot_free(snapshot);
    ta_machine_free(machine);
    return 0;
}
