/* A simulated board inside a unit test. Loads the tide lamp's image into a board that is described right here, presses
   its button, and checks what the lamps show, to the microsecond. Links against libtameanchor-machine, which needs
   nothing but the C library. */
#include <tameanchor/machine.h>

#include <assert.h>
#include <stdio.h>
#include <stdlib.h>

enum { FLASH = 0x00400000, FLASH_BYTES = 256 * 1024 };
#define MS(time) ((uint64_t)((time)*1e6))

static const struct ta_memory memories[] = {
    {"flash", TA_MEMORY_FLASH, FLASH, FLASH_BYTES},
    {"ram", TA_MEMORY_RAM, 0x10000000, 64 * 1024},
};
static const struct ta_device devices[] = {
    {.name = "plic", .model = "plic", .base = 0x44000000},
    {.name = "aclint", .model = "aclint", .base = 0x48000000, .clock_hz = 1000000},
    {.name = "uart0", .model = "uart16550", .base = 0x4c000000, .interrupt = 1},
    {.name = "gpio0", .model = "gpio", .base = 0x4c010000, .interrupt = 2},
    {.name = "exit0", .model = "exit-register", .base = 0x4c020000},
};
static const struct ta_connector connectors[] = {
    {.name = "lamps", .kind = TA_CONNECTOR_LAMPS, .device = "gpio0", .pin = 0, .count = 8},
    {.name = "button A", .kind = TA_CONNECTOR_BUTTON, .device = "gpio0", .pin = 8, .active_low = true},
};
static const struct ta_profile board = {
    .struct_version = TA_PROFILE_VERSION,
    .name = "dunlin",
    .version = "1.0.0",
    .kind = TA_PROFILE_BOARD,
    .isa = "rv32imac_zicsr_zifencei",
    .clock_hz = 32000000,
    .reset_address = FLASH,
    .memories = memories,
    .memory_count = 2,
    .devices = devices,
    .device_count = 5,
    .connectors = connectors,
    .connector_count = 2,
};

/* Runs until the lamps change, at TIME_NS at the latest; what they show then. */
static uint64_t lamps_by(struct ta_machine *machine, uint64_t time_ns) {
    struct ta_event event;
    uint64_t shown = 0;
    do
        ta_machine_run(machine, time_ns, &event);
    while (event.kind != TA_EVENT_OUTPUT && event.kind != TA_EVENT_TIME && event.kind != TA_EVENT_STOP);
    assert(ta_machine_output(machine, "lamps", &shown, NULL) == TA_OK);
    return shown;
}

int main(int argc, char **argv) {
    static unsigned char firmware[FLASH_BYTES];
    struct ta_machine *machine;
    struct ta_problem why;
    FILE *file = argc > 1 ? fopen(argv[1], "rb") : NULL;
    size_t size = file ? fread(firmware, 1, sizeof firmware, file) : 0;
    if (!size || ta_machine_new(&board, NULL, 0, &machine, &why)) {
        fprintf(stderr, "use: board_in_a_test out/dunlin-gcc/tide-lamp.bin\n");
        return EXIT_FAILURE;
    }
    fclose(file);
    assert(ta_machine_write(machine, FLASH, firmware, size) == TA_OK);
    ta_machine_power(machine, true);

    /* The lamps fill, one each half second. */
    uint64_t before_ns = 0;
    for (unsigned level = 1; level <= 8; ++level) {
        assert(lamps_by(machine, MS(6000)) == (UINT64_C(1) << level) - 1);
        uint64_t gap_ns = ta_machine_time_ns(machine) - before_ns;
        assert(level == 1 || (gap_ns > MS(499.9) && gap_ns < MS(500.1)));
        before_ns = ta_machine_time_ns(machine);
    }

    /* The button changes them to one lamp at the water line, within a hundredth of a second. */
    assert(ta_machine_set_input(machine, "button A", 1, &why) == TA_OK);
    assert(lamps_by(machine, ta_machine_time_ns(machine) + MS(20)) == 0x80);
    assert(ta_machine_set_input(machine, "button A", 0, &why) == TA_OK);
    assert(ta_machine_stopped(machine) == TA_STOP_NONE);

    printf("board_in_a_test: all held, trace %016llx\n", (unsigned long long)ta_machine_trace(machine));
    ta_machine_free(machine);
    return EXIT_SUCCESS;
}
