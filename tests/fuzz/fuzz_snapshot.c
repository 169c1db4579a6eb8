/* Any bytes over those of a snapshot, with a digest that fits: refused, or a machine that runs on. Each three bytes of the input are a place
   and what is put there. */
#include "base/digest.h"
#include "board.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    struct ta_machine *machine = fuzz_board();
    struct ta_snapshot *saved, *altered;
    struct ta_event event;
    size_t length;
    ta_machine_type(machine, "abc", 3, false);
    if (ta_machine_save(machine, &saved))
        abort();
    const void *bytes = ta_snapshot_bytes(saved, &length);
    uint8_t *copy = malloc(length);
    memcpy(copy, bytes, length);
    for (size_t i = 0; i + 2 < size; i += 3)
        copy[16 + (data[i] | (size_t)data[i + 1] << 8) % (length - 16)] = data[i + 2];
    size_t end = size % 7 ? length : length - size % 64; /* cut off, too */
    uint64_t digest = digest_bytes(DIGEST_START, copy + 16, end - 16);
    for (unsigned k = 0; k < 8; ++k)
        copy[8 + k] = (uint8_t)(digest >> 8 * k);
    if (ta_snapshot_read(copy, end, &altered, NULL))
        abort();
    if (!ta_machine_restore(machine, altered, NULL))
        for (int i = 0; i < 20; ++i)
            ta_machine_run(machine, ta_machine_time_ns(machine) + 2000, &event);
    ta_snapshot_free(altered);
    ta_snapshot_free(saved);
    free(copy);
    ta_machine_free(machine);
    return 0;
}
