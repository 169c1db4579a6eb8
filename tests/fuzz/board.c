#include "board.h"

#include "tameanchor/device.h"
#include "tameanchor/machine.h"

#include <stdlib.h>
#include <string.h>

struct ta_machine *fuzz_board(void) {
    static const struct ta_memory memory = {"ram", TA_MEMORY_RAM, RAM, RAM_BYTES};
    static const struct ta_option side[] = {{"width", 24}, {"height", 16}};
    static const struct ta_device devices[] = {
        {.name = "aclint", .model = "aclint", .base = RAM + 0x10000},
        {.name = "plic", .model = "plic", .base = 0x20000000},
        {.name = "uart0", .model = "uart16550", .base = RAM + 0x20000, .interrupt = 1},
        {.name = "gpio0", .model = "gpio", .base = RAM + 0x21000, .interrupt = 2},
        {.name = "exit0", .model = "exit-register", .base = RAM + 0x22000},
        {.name = "screen0",
         .model = "screen",
         .base = RAM + 0x23000,
         .interrupt = 3,
         .options = side,
         .option_count = 2},
        {.name = "touch0", .model = "touch", .base = RAM + 0x24000, .interrupt = 4, .options = side, .option_count = 2},
        {.name = "usb0", .model = "usb-device", .base = RAM + 0x26000, .interrupt = 6},
        {.name = "spi0", .model = "spi", .base = RAM + 0x27000, .interrupt = 7},
        {.name = "card0", .model = "storage-card", .on = "spi0"},
        {.name = "fabric0", .model = "fabric", .base = RAM + 0x30000},
        {.name = "watchdog0", .model = "watchdog", .base = RAM + 0x28000},
        {.name = "calendar0", .model = "calendar", .base = RAM + 0x29000, .interrupt = 8},
        {.name = "entropy0", .model = "entropy", .base = RAM + 0x2a000},
        {.name = "battery0", .model = "battery", .base = RAM + 0x2b000, .interrupt = 9},
        {.name = "flash0", .model = "flash-controller", .base = RAM + 0x2c000, .interrupt = 10},
        {.name = "radio0", .model = "radio", .base = RAM + 0x2d000, .interrupt = 11},
        {.name = "i2c0", .model = "i2c", .base = RAM + 0x2e000, .interrupt = 12},
        {.name = "compass0", .model = "compass", .on = "i2c0", .address = 0x1e},
        {.name = "motion0", .model = "motion", .on = "i2c0", .address = 0x6a},
        {.name = "analogue0", .model = "analogue", .base = RAM + 0x25000, .interrupt = 5}};
    static const struct ta_connector connectors[] = {
        {.name = "console", .kind = TA_CONNECTOR_CONSOLE, .device = "uart0"},
        {.name = "lamps", .kind = TA_CONNECTOR_LAMPS, .device = "gpio0", .count = 8},
        {.name = "button A", .kind = TA_CONNECTOR_BUTTON, .device = "gpio0", .pin = 8},
        {.name = "card", .kind = TA_CONNECTOR_CARD, .device = "card0"},
        {.name = "radio", .kind = TA_CONNECTOR_RADIO, .device = "radio0"},
        {.name = "usb", .kind = TA_CONNECTOR_USB, .device = "usb0"},
        {.name = "screen", .kind = TA_CONNECTOR_SCREEN, .device = "screen0"},
        {.name = "touch", .kind = TA_CONNECTOR_TOUCH, .device = "touch0"},
        {.name = "date", .kind = TA_CONNECTOR_SENSOR, .device = "calendar0", .quantity = "date"},
        {.name = "gauge", .kind = TA_CONNECTOR_SENSOR, .device = "analogue0", .quantity = "voltage"}};
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
                                              .device_count = sizeof devices / sizeof *devices,
                                              .connectors = connectors,
                                              .connector_count = sizeof connectors / sizeof *connectors};
    struct ta_machine *machine;
    const struct ta_device_kind *kind;
    for (size_t i = 0; (kind = ta_machine_model(i)); ++i) { /* none is left out */
        size_t at = 0;
        while (at < profile.device_count && strcmp(devices[at].model, kind->model))
            ++at;
        if (at == profile.device_count)
            abort();
    }
    if (ta_machine_new(&profile, NULL, 0, &machine, NULL))
        abort();
    ta_machine_power(machine, true);
    return machine;
}
