/* Any bytes as code and data of a board with two harts, and as a snapshot of it. */
#include "tameanchor/snapshot.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

enum { RAM = 0x10000000, RAM_BYTES = 0x4000 };

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static struct ta_machine *power_on(void) {
    static const struct ta_memory memory = {"ram", TA_MEMORY_RAM, RAM, RAM_BYTES};
    static const struct ta_device devices[] = {
        {.name = "aclint", .model = "aclint", .base = RAM + 0x10000},
        {.name = "plic", .model = "plic", .base = 0x20000000},
        {.name = "uart0", .model = "uart16550", .base = RAM + 0x20000, .interrupt = 1},
        {.name = "gpio0", .model = "gpio", .base = RAM + 0x21000, .interrupt = 2},
        {.name = "exit0", .model = "exit-register", .base = RAM + 0x22000}};
    static const struct ta_hart_group harts[] = {
        {.name = "narrow"}, {.name = "wide", .isa = "rv64imafdc_zba_zbb_zbs", .reset_address = RAM + 64}};
    static const struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                              .name = "fuzz",
                                              .isa = "rv32imafdc_zba_zbb_zbs",
                                              .clock_hz = 10000000,
                                              .reset_address = RAM,
                                              .semihosting = true,
                                              .hart_groups = harts,
                                              .hart_group_count = 2,
                                              .memories = &memory,
                                              .memory_count = 1,
                                              .devices = devices,
                                              .device_count = 5};
    struct ta_machine *machine;
    if (ta_machine_new(&profile, NULL, 0, &machine, NULL))
        abort();
    ta_machine_power(machine, true);
    return machine;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    struct ta_machine *machine = power_on();
    struct ta_snapshot *snapshot;
    struct ta_event event;
    uint64_t trace;
    if (size && data[0] == 'T' && !ta_snapshot_read(data, size, &snapshot, NULL)) {
        ta_machine_restore(machine, snapshot, NULL);
        ta_snapshot_free(snapshot);
    } else if (ta_machine_write(machine, RAM, data, size < RAM_BYTES ? size : RAM_BYTES)) {
        abort();
    }
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
