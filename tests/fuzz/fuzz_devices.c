/* Any accesses to any registers, at any time, and what people do meanwhile. Eight bytes of the input are one: which device and what is done,
   where, the value, and how long nothing happens then. */
#include "board.h"
#include "machine/board.h"

#include <stdint.h>
#include <stdlib.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    struct ta_machine *machine = fuzz_board();
    static const char *const inputs[] = {"button A", "touch", "gauge"};
    struct ta_picture picture;
    struct ta_event event;
    uint64_t value;
    for (size_t i = 0; i + 7 < size; i += 8) {
        struct ta_slot *slot = &machine->slots[data[i] % machine->slot_count];
        unsigned width = 1u << (data[i] >> 4 & 3);
        uint64_t offset =
            (data[i + 1] | (uint64_t)data[i + 2] << 8 | (uint64_t)(data[i] >> 6) << 20) & ~(uint64_t)(width - 1);
        if (offset + width > slot->kind->span_bytes)
            offset = 0;
        value = data[i + 3] * UINT64_C(0x0101010101010101) ^ data[i + 4];
        switch (data[i + 5] % 4) {
        case 0: board_device_read(slot, offset, width, &value); break;
        case 1:
            if (data[i + 4] % 2)
                ta_machine_type(machine, &data[i + 3], 1, data[i + 4] == 255);
            else
                ta_machine_message(machine, "radio", &data[i], 1 + data[i + 4] % 8, NULL);
            break;
        case 2:
            ta_machine_set_input(machine, inputs[data[i + 4] % 3], data[i + 3] % 9 ? value >> 24 & 0x1000f000f : 0,
                                 NULL);
            break;
        default:
            board_device_write(slot, offset, width, width == 8 ? value : value & ((UINT64_C(1) << 8 * width) - 1));
            break;
        }
        ta_machine_run(machine, ta_machine_time_ns(machine) + 100 * (data[i + 6] + 256u * (data[i + 7] & 15)), &event);
    }
    if (ta_machine_picture(machine, "screen", &picture, NULL))
        abort();
    ta_picture_free(&picture);
    ta_machine_free(machine);
    return 0;
}
