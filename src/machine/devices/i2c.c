/* A bus of two wires, and its only master (I2C, UM10204). Registers of 32 bits:

   0x00  CONTROL  read/write  bit 0: on; bit 1: the interrupt is high while DONE is set
   0x04  COMMAND  write       what is done, in this order: bit 0 START, and the byte that follows is an address; bit 1 WRITE the byte in
                              DATA; bit 2 READ a byte into DATA; bit 3 with READ: it is the last, do not acknowledge it; bit 4 STOP
   0x08  DATA     read/write
   0x0c  STATUS   read/write  bit 0: busy; bit 1: the last byte was not acknowledged; bit 2: DONE, a one written clears it
   0x10  DIVISOR  read/write  cycles of the board's clock for a bit

   A byte takes nine bits, START and STOP one each. A command while one is under way is dropped. */
#include "machine/models.h"

enum { CONTROL = 0x00, COMMAND = 0x04, DATA = 0x08, STATUS = 0x0c, DIVISOR = 0x10 };
enum { CONTROL_ON = 1, CONTROL_INTERRUPT = 2 };
enum { COMMAND_START = 1, COMMAND_WRITE = 2, COMMAND_READ = 4, COMMAND_STOP = 16, COMMANDS = 31 };
enum { STATUS_BUSY = 1, STATUS_REFUSED = 2, STATUS_DONE = 4 };
enum { BYTE_BITS = 9, NOBODY = 0x80 };

struct i2c {
    uint32_t divisor;
    uint8_t control, data, status, command;
    uint8_t address; /* who is spoken to, or NOBODY */
};

static void i2c_update(const struct i2c *i2c, struct ta_slot *slot) {
    ta_slot_interrupt(slot, i2c->control & CONTROL_INTERRUPT && i2c->status & STATUS_DONE);
}

static void i2c_reset(void *state, struct ta_slot *slot) {
    struct i2c *i2c = state;
    *i2c = (struct i2c){.address = NOBODY};
    i2c_update(i2c, slot);
}

static void end_talk(struct i2c *i2c, struct ta_slot *slot) {
    if (i2c->address != NOBODY)
        ta_slot_transfer(slot, i2c->address, TA_TRANSFER_STOP, NULL);
    i2c->address = NOBODY;
}

/* The first byte behind a START: an address, and whether it will be read. */
static bool begin_talk(struct i2c *i2c, struct ta_slot *slot) {
    bool reads = i2c->data & 1;
    i2c->address = i2c->data >> 1;
    bool there = ta_slot_transfer(slot, i2c->address, reads ? TA_TRANSFER_READS : TA_TRANSFER_WRITES, &i2c->data);
    i2c->address = there ? i2c->address : NOBODY;
    return there;
}

static void carry_out(struct i2c *i2c, struct ta_slot *slot) {
    bool heard = true;
    if (i2c->command & COMMAND_WRITE && i2c->command & COMMAND_START)
        heard = begin_talk(i2c, slot);
    else if (i2c->command & COMMAND_WRITE)
        heard = i2c->address != NOBODY && ta_slot_transfer(slot, i2c->address, TA_TRANSFER_TAKE, &i2c->data);
    if (i2c->command & COMMAND_READ) {
        i2c->data = 0xff; /* the wire is high where nobody pulls it down */
        if (i2c->address != NOBODY)
            ta_slot_transfer(slot, i2c->address, TA_TRANSFER_GIVE, &i2c->data);
    }
    if (i2c->command & COMMAND_STOP)
        end_talk(i2c, slot);
    i2c->status = (uint8_t)(STATUS_DONE | (heard ? 0 : STATUS_REFUSED));
}

static void i2c_wake(void *state, struct ta_slot *slot) {
    carry_out(state, slot);
    i2c_update(state, slot);
}

static void begin(struct i2c *i2c, struct ta_slot *slot, uint8_t command) {
    bool busy = i2c->status & STATUS_BUSY;
    if (busy || !(i2c->control & CONTROL_ON) || !command)
        return;
    uint64_t bits = (command & COMMAND_START ? 1u : 0u) + (command & COMMAND_STOP ? 1u : 0u) +
                    (command & COMMAND_WRITE ? BYTE_BITS : 0u) + (command & COMMAND_READ ? BYTE_BITS : 0u);
    i2c->command = command;
    i2c->status = STATUS_BUSY;
    ta_slot_wake_at(slot, ta_slot_now(slot) + bits * (i2c->divisor ? i2c->divisor : 1u));
}

static uint64_t i2c_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct i2c *i2c = state;
    (void)slot;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: return i2c->control;
    case DATA: return i2c->data;
    case STATUS: return i2c->status;
    case DIVISOR: return i2c->divisor;
    default: return 0;
    }
}

static void i2c_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct i2c *i2c = state;
    bool busy = i2c->status & STATUS_BUSY;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: i2c->control = value & (CONTROL_ON | CONTROL_INTERRUPT); break;
    case COMMAND: begin(i2c, slot, value & COMMANDS); break;
    case DATA: i2c->data = busy ? i2c->data : (uint8_t)value; break;
    case STATUS: i2c->status &= (uint8_t) ~(value & STATUS_DONE); break;
    case DIVISOR: i2c->divisor = (uint32_t)value; break;
    default: return;
    }
    i2c_update(i2c, slot);
}

static void i2c_keep(void *state, struct ta_keeper *keeper) {
    struct i2c *i2c = state;
    TA_KEEP(keeper, i2c->divisor);
    TA_KEEP(keeper, i2c->control);
    TA_KEEP(keeper, i2c->data);
    TA_KEEP(keeper, i2c->status);
    TA_KEEP(keeper, i2c->command);
    TA_KEEP(keeper, i2c->address);
}

static bool i2c_is_sound(const void *state, const struct ta_slot *slot) {
    const struct i2c *i2c = state;
    (void)slot;
    return i2c->address <= NOBODY;
}

const struct ta_device_kind model_i2c = {
    .version = TA_DEVICE_VERSION,
    .model = "i2c",
    .summary = "a bus of two wires, and its master (I2C)",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct i2c),
    .widths = 4,
    .steady = (const uint64_t[]){STATUS},
    .steady_count = 1,
    .read = i2c_read,
    .write = i2c_write,
    .keep = i2c_keep,
    .reset = i2c_reset,
    .wake = i2c_wake,
    .is_sound = i2c_is_sound,
    .is_bus = true,
    .first_address = 0x08,
    .last_address = 0x77,
};
