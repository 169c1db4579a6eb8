/* Lets the program write to flash: bits are cleared by programming and set by erasing a sector of 4096 bytes. What is under way when the power
   goes is done so far: of a page the first bytes, eight at a time; of a sector the first ones, 256 at a time. 32-bit registers:

   0x00  CONTROL  read/write  bit 1: the interrupt is high while DONE is set
   0x04  STATUS   read/write  bit 0: busy; bit 1: DONE, a one written clears it; bit 2: the last command was refused
   0x08  ADDRESS  read/write  in flash: of the page, or anywhere in the sector
   0x0c  KEY      write       0x464c5348, before each command
   0x10  COMMAND  write       1: program BUFFER to the 256 bytes at ADDRESS, which is a multiple of that, in 640 us; 2: erase the sector, in
                              16 ms; 3: write BUFFER's first eight bytes to ADDRESS, a multiple of 8, in 20 us
   0x14  WEAR     read        how often the sector of ADDRESS was erased in its life
   0x100 to 0x1ff BUFFER      read/write */
#include "base/little.h"
#include "machine/models.h"

#include <string.h>

enum {
    CONTROL = 0x00,
    STATUS = 0x04,
    ADDRESS = 0x08,
    KEY = 0x0c,
    COMMAND = 0x10,
    WEAR = 0x14,
    BUFFER = 0x100,
    BUFFER_END = 0x200
};
enum { INTERRUPTS = 2, BUSY = 1, DONE = 2, REFUSED = 4, PROGRAM = 1, ERASE = 2, PROGRAM_WORD = 3 };
enum {
    SECTOR = 4096,
    PAGE = 256,
    WORD = 8,
    WORDS_PER_S = 50000,
    ERASE_STEP = 256,
    ERASE_STEPS_PER_S = 1000,
    SECTORS = 4096
};
#define RIGHT_KEY UINT32_C(0x464c5348)

struct flash_controller {
    uint32_t control, status, address, command, done; /* DONE: bytes of what is under way */
    uint32_t at;                                      /* where it began */
    uint8_t unlocked;
    uint8_t buffer[PAGE];
};

static void flash_update(const struct flash_controller *flash, struct ta_slot *slot) {
    ta_slot_interrupt(slot, flash->control & INTERRUPTS && flash->status & DONE);
}

/* Counters of the sectors, told apart by their number modulo how many there are, as the complement: blank is 0. */
static uint32_t wear_of(struct ta_slot *slot, uint32_t address, uint32_t more) {
    uint8_t bytes[4] = {0};
    uint64_t offset = (uint64_t)(address / SECTOR % SECTORS) * 4;
    ta_slot_store_read(slot, offset, bytes, 4);
    uint32_t count = ~(uint32_t)little_load(bytes, 4);
    if (!more)
        return count;
    count += count < UINT32_MAX ? more : 0;
    for (unsigned i = 0; i < 4; ++i)
        bytes[i] = (uint8_t)(~count >> 8 * i);
    ta_slot_store_write(slot, offset, bytes, 4);
    return count;
}

static uint32_t length_of(uint32_t command) {
    return command == ERASE ? SECTOR : command == PROGRAM ? PAGE : WORD;
}

static void next_step(const struct flash_controller *flash, struct ta_slot *slot) {
    uint64_t steps = flash->command == ERASE ? ERASE_STEPS_PER_S : WORDS_PER_S;
    ta_slot_wake_at(slot, ta_slot_now(slot) + 1 + ta_slot_clock_hz(slot) / steps);
}

static void begin(struct flash_controller *flash, struct ta_slot *slot, uint32_t command) {
    uint32_t length = length_of(command),
             at = command == ERASE ? flash->address & ~(uint32_t)(SECTOR - 1) : flash->address;
    if (flash->status & BUSY)
        return;
    bool good = flash->unlocked && command >= PROGRAM && command <= PROGRAM_WORD && at % length == 0 &&
                ta_slot_is_flash(slot, at, length);
    flash->unlocked = 0;
    flash->status = good ? BUSY : DONE | REFUSED;
    if (!good)
        return;
    flash->command = command;
    flash->at = at;
    flash->done = 0;
    if (command == ERASE)
        wear_of(slot, at, 1);
    next_step(flash, slot);
}

/* Programming clears bits, and sets none. */
static void program_word(struct flash_controller *flash, struct ta_slot *slot) {
    uint8_t bytes[WORD];
    const uint8_t *there = ta_slot_memory(slot, flash->at + flash->done, WORD);
    for (unsigned i = 0; there && i < WORD; ++i)
        bytes[i] = there[i] & flash->buffer[(flash->done + i) % PAGE];
    if (there)
        ta_slot_program(slot, flash->at + flash->done, bytes, WORD);
    flash->done += WORD;
}

static void erase_step(struct flash_controller *flash, struct ta_slot *slot) {
    uint8_t blank[ERASE_STEP];
    memset(blank, 0xff, sizeof blank);
    ta_slot_program(slot, flash->at + flash->done, blank, sizeof blank);
    flash->done += ERASE_STEP;
}

static void flash_wake(void *state, struct ta_slot *slot) {
    struct flash_controller *flash = state;
    if (flash->command == ERASE)
        erase_step(flash, slot);
    else
        program_word(flash, slot);
    if (flash->done < length_of(flash->command))
        next_step(flash, slot);
    else
        flash->status = DONE;
    flash_update(flash, slot);
}

static uint64_t flash_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct flash_controller *flash = state;
    (void)size_bytes;
    if (offset >= BUFFER && offset < BUFFER_END) {
        const uint8_t *at = flash->buffer + (offset - BUFFER);
        return (uint32_t)little_load(at, 4);
    }
    switch (offset) {
    case CONTROL: return flash->control;
    case STATUS: return flash->status;
    case ADDRESS: return flash->address;
    case WEAR: return wear_of(slot, flash->address, 0);
    default: return 0;
    }
}

static void flash_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct flash_controller *flash = state;
    uint32_t word = (uint32_t)value;
    (void)size_bytes;
    if (offset >= BUFFER && offset < BUFFER_END && !(flash->status & BUSY))
        for (unsigned i = 0; i < 4; ++i)
            flash->buffer[offset - BUFFER + i] = (uint8_t)(word >> 8 * i);
    switch (offset) {
    case CONTROL: flash->control = word & INTERRUPTS; break;
    case STATUS: flash->status &= ~(word & DONE); break;
    case ADDRESS: flash->address = word; break;
    case KEY: flash->unlocked = word == RIGHT_KEY; break;
    case COMMAND: begin(flash, slot, word); break;
    default: break;
    }
    flash_update(flash, slot);
}

static void flash_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    memset(state, 0, sizeof(struct flash_controller));
}

static uint64_t flash_store_bytes(const struct ta_device *device) {
    (void)device;
    return SECTORS * 4;
}

static void flash_keep(void *state, struct ta_keeper *keeper) {
    struct flash_controller *flash = state;
    TA_KEEP(keeper, flash->control);
    TA_KEEP(keeper, flash->status);
    TA_KEEP(keeper, flash->address);
    TA_KEEP(keeper, flash->command);
    TA_KEEP(keeper, flash->done);
    TA_KEEP(keeper, flash->at);
    TA_KEEP(keeper, flash->unlocked);
    TA_KEEP_ALL(keeper, flash->buffer);
}

const struct ta_device_kind model_flash_controller = {
    .version = TA_DEVICE_VERSION,
    .model = "flash-controller",
    .summary = "programs and erases flash for the program",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct flash_controller),
    .widths = 4,
    .steady = (const uint64_t[]){STATUS},
    .steady_count = 1,
    .read = flash_read,
    .write = flash_write,
    .reset = flash_reset,
    .wake = flash_wake,
    .store_bytes = flash_store_bytes,
    .keep = flash_keep,
};
