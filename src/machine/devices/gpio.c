/* General-purpose pins: 32 outputs and 32 inputs, with an interrupt on the edges that the guest asks for. Registers of
   32 bits, a bit a pin:

   0x00  IN       read        the levels of the input pins
   0x04  OUT      read/write  the levels of the output pins
   0x08  SET      write       ones raise output pins
   0x0c  CLEAR    write       ones lower output pins
   0x10  RISE     read/write  input pins whose rising edge is remembered in PENDING
   0x14  FALL     read/write  input pins whose falling edge is remembered in PENDING
   0x18  PENDING  read/write  remembered edges; ones written forget them. The interrupt is high while any is set */
#include "machine/models.h"

enum { IN = 0x00, OUT = 0x04, SET = 0x08, CLEAR = 0x0c, RISE = 0x10, FALL = 0x14, PENDING = 0x18 };

struct gpio {
    uint32_t in, out, rise, fall, pending;
};

static void gpio_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    *(struct gpio *)state = (struct gpio){0};
}

static uint64_t gpio_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct gpio *gpio = state;
    (void)slot;
    (void)size_bytes;
    switch (offset) {
    case IN: return gpio->in;
    case OUT: return gpio->out;
    case RISE: return gpio->rise;
    case FALL: return gpio->fall;
    case PENDING: return gpio->pending;
    default: return 0;
    }
}

static void gpio_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct gpio *gpio = state;
    uint32_t bits = (uint32_t)value;
    (void)size_bytes;
    switch (offset) {
    case OUT: gpio->out = bits; break;
    case SET: gpio->out |= bits; break;
    case CLEAR: gpio->out &= ~bits; break;
    case RISE: gpio->rise = bits; break;
    case FALL: gpio->fall = bits; break;
    case PENDING: gpio->pending &= ~bits; break;
    default: return;
    }
    ta_slot_output(slot, gpio->out);
    ta_slot_interrupt(slot, gpio->pending != 0);
}

static void gpio_input(void *state, struct ta_slot *slot, unsigned pin, bool level) {
    struct gpio *gpio = state;
    if (pin >= 32)
        return;
    uint32_t bit = UINT32_C(1) << pin, before = gpio->in;
    gpio->in = level ? gpio->in | bit : gpio->in & ~bit;
    gpio->pending |= (gpio->in & ~before & gpio->rise) | (before & ~gpio->in & gpio->fall);
    ta_slot_interrupt(slot, gpio->pending != 0);
}

static void gpio_keep(void *state, struct ta_keeper *keeper) {
    struct gpio *gpio = state;
    TA_KEEP(keeper, gpio->in);
    TA_KEEP(keeper, gpio->out);
    TA_KEEP(keeper, gpio->rise);
    TA_KEEP(keeper, gpio->fall);
    TA_KEEP(keeper, gpio->pending);
}

const struct ta_device_kind model_gpio = {
    .version = TA_DEVICE_VERSION,
    .model = "gpio",
    .summary = "32 input and 32 output pins with edge interrupts",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct gpio),
    .widths = 4,
    .keep = gpio_keep,
    .reset = gpio_reset,
    .steady = (const uint64_t[]){IN, PENDING},
    .steady_count = 2,
    .read = gpio_read,
    .write = gpio_write,
    .input = gpio_input,
    .pins = 32,
};
