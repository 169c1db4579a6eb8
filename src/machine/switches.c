/* How the switches at the desk stand. */
#include "machine/board.h"

#include <string.h>

bool board_stands_at(const struct ta_machine *machine, size_t index, const char *position) {
    const struct ta_switch *each = &machine->profile->switches[index];
    return position && !strcmp(each->positions[machine->positions[index]], position);
}

bool board_is_reached(const struct ta_machine *machine) {
    for (size_t i = 0; i < machine->profile->switch_count; ++i)
        if (machine->profile->switches[i].reach && !board_stands_at(machine, i, machine->profile->switches[i].reach))
            return false;
    return true;
}
