/* Links against the machine's library and nothing else, and uses it. */
#include "tameanchor/machine.h"

int main(void) {
    static const struct ta_memory ram = {"ram", TA_MEMORY_RAM, 0x10000000, 4096};
    static const struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                              .name = "alone",
                                              .isa = "rv32i_zicsr",
                                              .clock_hz = 1000000,
                                              .reset_address = 0x10000000,
                                              .memories = &ram,
                                              .memory_count = 1};
    struct ta_machine *machine;
    struct ta_event event;
    if (ta_machine_new(&profile, NULL, 0, &machine, NULL))
        return 1;
    ta_machine_power(machine, true);
    ta_machine_run(machine, 1000, &event);
    ta_machine_free(machine);
    return event.kind == TA_EVENT_TRAP ? 0 : 1; /* zeroed memory is an illegal instruction */
}
