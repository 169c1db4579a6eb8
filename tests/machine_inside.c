/* The machine on a computer that is one itself: built for a RISC-V target with picolibc, run on a simulated board, and as a program of this
   computer. It runs the image that IMAGE names on a dunlin and tells all that happens; whoever runs it, the answer is the same. */
#include "tameanchor/snapshot.h"

#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>

enum { FLASH = 0x00400000, FLASH_BYTES = 64 * 1024 };

__asm__(".section .rodata\n"
        ".balign 8\n"
        ".globl image_bytes, image_end\n"
        "image_bytes: .incbin \"" IMAGE "\"\n"
        "image_end:\n"
        ".text\n");
extern const unsigned char image_bytes[], image_end[];

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
    {.name = "console", .kind = TA_CONNECTOR_CONSOLE, .device = "uart0"},
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
    .connector_count = 3,
};

static void tell(struct ta_machine *machine, uint64_t until_ns) {
    struct ta_event event;
    for (;;) {
        ta_machine_run(machine, until_ns, &event);
        if (event.kind == TA_EVENT_TIME)
            return;
        if (event.kind == TA_EVENT_CONSOLE)
            printf("%.*s", (int)event.length, (const char *)event.bytes);
        else
            printf("%" PRIu64 " %s %s %" PRIu64 "\n", event.time_ns, ta_event_text(event.kind), event.name,
                   event.value);
    }
}

/* Its digest, which is in the header: the same bytes on every host. */
static void tell_snapshot(struct ta_snapshot *snapshot) {
    size_t length;
    const unsigned char *bytes = ta_snapshot_bytes(snapshot, &length);
    printf("snapshot of %lu bytes, ", (unsigned long)length);
    for (int i = 8; i < 16; ++i)
        printf("%02x", bytes[i]);
    printf("\n");
}

int main(void) {
    struct ta_machine *machine;
    struct ta_snapshot *snapshot;
    struct ta_problem why;
    size_t size = (size_t)(image_end - image_bytes);
    if (ta_machine_new(&board, NULL, 0, &machine, &why) || ta_machine_write(machine, FLASH, image_bytes, size)) {
        printf("%s\n", why.what);
        return EXIT_FAILURE;
    }
    ta_machine_power(machine, true);
    tell(machine, 1100000000);
    if (ta_machine_save(machine, &snapshot))
        return EXIT_FAILURE;
    tell_snapshot(snapshot);
    ta_machine_set_input(machine, "button A", 1, NULL);
    tell(machine, 1200000000);
    if (ta_machine_restore(machine, snapshot, &why))
        return EXIT_FAILURE;
    tell(machine, 1600000000);
    printf("trace %016" PRIx64 ", %" PRIu64 " instructions\n", ta_machine_trace(machine), ta_machine_retired(machine));
    ta_snapshot_free(snapshot);
    ta_machine_free(machine);
    return EXIT_SUCCESS;
}
