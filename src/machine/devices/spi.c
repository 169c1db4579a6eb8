/* A bus with a wire each way, and its only master (SPI, mode 0). Registers of 32 bits:

   0x00  CONTROL  read/write  bit 0: on; bit 1: the interrupt is high while DONE is set
   0x04  SELECT   read/write  which part is selected, 0 to 7; 0xff: none
   0x08  DATA     read/write  written: a byte goes out, and at the same time another comes in. Read: that one. Dropped while one is under way
   0x0c  STATUS   read/write  bit 0: one is under way; bit 2: DONE, which a one written or the next byte clears
   0x10  DIVISOR  read/write  cycles of the board's clock for a bit

   Where nobody is selected, or nobody answers, all bits of what comes in are set. */
#include "machine/models.h"

enum { CONTROL = 0x00, SELECT = 0x04, DATA = 0x08, STATUS = 0x0c, DIVISOR = 0x10 };
enum { ON = 1, INTERRUPTS = 2, BUSY = 1, DONE = 4, BITS = 8, LAST_PART = 7, NOBODY = 0xff };

struct spi {
    uint32_t divisor;
    uint8_t control, select, data, status;
};

static void spi_update(const struct spi *spi, struct ta_slot *slot) {
    ta_slot_interrupt(slot, spi->control & INTERRUPTS && spi->status & DONE);
}

static void select_part(struct spi *spi, struct ta_slot *slot, uint8_t part) {
    if (part == spi->select)
        return;
    if (spi->select != NOBODY)
        ta_slot_transfer(slot, spi->select, TA_TRANSFER_STOP, NULL);
    spi->select = part <= LAST_PART ? part : NOBODY;
    if (spi->select != NOBODY)
        ta_slot_transfer(slot, spi->select, TA_TRANSFER_WRITES, NULL);
}

static void spi_wake(void *state, struct ta_slot *slot) {
    struct spi *spi = state;
    if (spi->select == NOBODY || !ta_slot_transfer(slot, spi->select, TA_TRANSFER_EXCHANGE, &spi->data))
        spi->data = 0xff;
    spi->status = DONE;
    spi_update(spi, slot);
}

static void begin(struct spi *spi, struct ta_slot *slot, uint8_t byte) {
    if (spi->status & BUSY || !(spi->control & ON))
        return;
    spi->data = byte;
    spi->status = BUSY;
    ta_slot_wake_at(slot, ta_slot_now(slot) + (uint64_t)BITS * (spi->divisor ? spi->divisor : 1u));
}

static uint64_t spi_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct spi *spi = state;
    (void)slot;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: return spi->control;
    case SELECT: return spi->select;
    case DATA: return spi->data;
    case STATUS: return spi->status;
    case DIVISOR: return spi->divisor;
    default: return 0;
    }
}

static void spi_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct spi *spi = state;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: spi->control = value & (ON | INTERRUPTS); break;
    case SELECT: select_part(spi, slot, value < NOBODY ? (uint8_t)value : NOBODY); break;
    case DATA: begin(spi, slot, (uint8_t)value); break;
    case STATUS: spi->status &= (uint8_t) ~(value & DONE); break;
    case DIVISOR: spi->divisor = (uint32_t)value; break;
    default: return;
    }
    spi_update(spi, slot);
}

static void spi_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    *(struct spi *)state = (struct spi){.select = NOBODY, .data = 0xff};
}

static void spi_keep(void *state, struct ta_keeper *keeper) {
    struct spi *spi = state;
    TA_KEEP(keeper, spi->divisor);
    TA_KEEP(keeper, spi->control);
    TA_KEEP(keeper, spi->select);
    TA_KEEP(keeper, spi->data);
    TA_KEEP(keeper, spi->status);
}

static bool spi_is_sound(const void *state, const struct ta_slot *slot) {
    const struct spi *spi = state;
    (void)slot;
    return spi->select <= LAST_PART || spi->select == NOBODY;
}

const struct ta_device_kind model_spi = {
    .version = TA_DEVICE_VERSION,
    .model = "spi",
    .summary = "a bus with a wire each way (SPI)",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct spi),
    .widths = 4,
    .steady = (const uint64_t[]){STATUS},
    .steady_count = 1,
    .read = spi_read,
    .write = spi_write,
    .reset = spi_reset,
    .wake = spi_wake,
    .is_bus = true,
    .last_address = LAST_PART,
    .keep = spi_keep,
    .is_sound = spi_is_sound,
};
