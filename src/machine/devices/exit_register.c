/* The exit register: how a program ends, or starts its board anew.

   0x0  CODE     read/write  the exit code, 0 to 255
   0x4  COMMAND  write       1: the program has ended with CODE; 2: restart the board */
#include "machine/models.h"

enum { CODE = 0x0, COMMAND = 0x4, COMMAND_END = 1, COMMAND_RESTART = 2 };

struct exit_register {
    uint8_t code;
};

static void exit_register_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    ((struct exit_register *)state)->code = 0;
}

static uint64_t exit_register_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    (void)slot;
    (void)size_bytes;
    return offset == CODE ? ((const struct exit_register *)state)->code : 0;
}

static void exit_register_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes,
                                uint64_t value) {
    struct exit_register *ends = state;
    (void)size_bytes;
    if (offset == CODE)
        ends->code = (uint8_t)value;
    else if (offset == COMMAND && value == COMMAND_END)
        ta_slot_finish(slot, ends->code);
    else if (offset == COMMAND && value == COMMAND_RESTART)
        ta_slot_restart(slot);
}

static void exit_register_keep(void *state, struct ta_keeper *keeper) {
    struct exit_register *exit = state;
    TA_KEEP(keeper, exit->code);
}

const struct ta_device_kind model_exit_register = {
    .version = TA_DEVICE_VERSION,
    .model = "exit-register",
    .summary = "ends the program with an exit code, or restarts the board",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct exit_register),
    .widths = 4,
    .merges = true,
    .keep = exit_register_keep,
    .reset = exit_register_reset,
    .read = exit_register_read,
    .write = exit_register_write,
};
