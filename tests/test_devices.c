/* Device models through their registers, on the bundled board; a model of one's own; named inputs and outputs. The test
   plays the guest: it is a device that reaches the bus as loads and stores of a tiny program would. */
#include "support.h"

#include "machine/board.h"
#include "machine/models.h"

#include <string.h>

enum { GPIO = 0x4c010000, UART = 0x4c000000, PLIC = 0x44000000, ACLINT = 0x48000000, EXIT = 0x4c020000 };

static struct ta_machine *machine;

/* A load or store by the hart, at the present cycle. */
static uint32_t peek(uint32_t address, unsigned size) {
    uint64_t value = 0;
    ck_assert(hart_load(&machine->harts[0].hart, address, size, &value));
    return (uint32_t)value;
}

static void poke(uint32_t address, unsigned size, uint32_t value) {
    ck_assert(hart_store(&machine->harts[0].hart, address, size, value));
}

static void power_on(const struct ta_profile *profile) {
    struct ta_problem why;
    ck_assert_msg(!ta_machine_new(profile, NULL, 0, &machine, &why), "%s", why.what);
    ta_machine_power(machine, true);
    const uint8_t here[] = {0x6f, 0, 0, 0}; /* the program: jal x0, 0 */
    ck_assert_int_eq(ta_machine_write(machine, profile->reset_address, here, 4), TA_OK);
}

static struct ta_event next(uint64_t until_ns) {
    struct ta_event event;
    ta_machine_run(machine, until_ns, &event);
    return event;
}

/* What the console says until UNTIL_NS. */
static char *console_until(uint64_t until_ns) {
    GString *said = g_string_new(NULL);
    for (struct ta_event event = next(until_ns); event.kind != TA_EVENT_TIME; event = next(until_ns))
        if (event.kind == TA_EVENT_CONSOLE)
            g_string_append_len(said, (const char *)event.bytes, (gssize)event.length);
    char *text = test_path("%s", said->len ? said->str : "none");
    bool none = !said->len;
    g_string_free(said, TRUE);
    return none ? "" : text + strlen(test_folder) + 1;
}

static uint32_t pending(void) {
    return (uint32_t)machine->harts[0].hart.state.mip;
}

START_TEST(lamps_follow_the_pins_and_tell_changes_once) {
    power_on(dunlin());
    uint64_t level = 99;
    poke(GPIO + 0x04, 4, 0x1a5);
    struct ta_event event = next(1000);
    ck_assert(event.kind == TA_EVENT_OUTPUT && event.value == 0xa5 && event.width == 8);
    ck_assert_str_eq(event.name, "lamps");
    poke(GPIO + 0x08, 4, 0x02);
    ck_assert_uint_eq(next(2000).value, 0xa7);
    poke(GPIO + 0x0c, 4, 0x0f);
    ck_assert_uint_eq(next(3000).value, 0xa0);
    poke(GPIO + 0x04, 4, 0x2a0); /* pins past the lamps */
    ck_assert_int_eq(next(4000).kind, TA_EVENT_TIME);
    ck_assert_int_eq(ta_machine_output(machine, "lamps", &level, NULL), TA_OK);
    ck_assert_uint_eq(level, 0xa0);
    ck_assert_int_eq(ta_machine_output(machine, "dial", &level, NULL), TA_E_INPUT);
    ta_machine_free(machine);
}
END_TEST

START_TEST(the_button_pulls_its_pin_down_and_interrupts) {
    power_on(dunlin());
    ck_assert_uint_eq(peek(GPIO, 4), 0x100); /* active low: up while released */
    poke(GPIO + 0x14, 4, 0x100);
    poke(PLIC + 4 * 2, 4, 1);
    poke(PLIC + 0x2000, 4, 1 << 2);
    ck_assert_int_eq(ta_machine_set_input(machine, "button A", 1, NULL), TA_OK);
    ck_assert_int_eq(next(1000).kind, TA_EVENT_INPUT);
    ck_assert_uint_eq(peek(GPIO, 4), 0);
    ck_assert_uint_eq(peek(GPIO + 0x18, 4), 0x100);
    ck_assert(pending() & 1 << 11);
    ck_assert_uint_eq(peek(PLIC + 0x200004, 4), 2); /* claim */
    ck_assert(!(pending() & 1 << 11));
    poke(PLIC + 0x200004, 4, 2); /* complete without quietening: it comes again */
    ck_assert(pending() & 1 << 11);
    ck_assert_uint_eq(peek(PLIC + 0x200004, 4), 2);
    poke(GPIO + 0x18, 4, 0x100);
    poke(PLIC + 0x200004, 4, 2);
    ck_assert(!(pending() & 1 << 11));
    ta_machine_set_input(machine, "button A", 0, NULL);
    ck_assert_uint_eq(peek(GPIO + 0x18, 4), 0); /* only the falling edge was asked for */
    struct ta_slot *gpio = NULL;
    for (size_t i = 0; i < machine->slot_count; ++i)
        if (machine->slots[i].kind == &model_gpio)
            gpio = &machine->slots[i];
    poke(GPIO + 0x10, 4, 0x3); /* pins 0 and 1 rise */
    gpio->kind->input(gpio->state, gpio, 0, true);
    gpio->kind->input(gpio->state, gpio, 1, true);
    poke(GPIO + 0x18, 4, 0x1);
    ck_assert_uint_eq(peek(GPIO + 0x18, 4), 0x2); /* the other is not forgotten */
    gpio->kind->input(gpio->state, gpio, 5, true);
    ck_assert_uint_eq(peek(GPIO + 0x18, 4), 0x2); /* what stays high has no edge */
    ck_assert_int_eq(ta_machine_set_input(machine, "lamps", 0, NULL), TA_E_INPUT);
    ta_machine_free(machine);
}
END_TEST

START_TEST(the_plic_gives_the_highest_priority_first) {
    power_on(dunlin());
    struct ta_slot *plic = machine->controller;
    const struct ta_device_kind *kind = plic->kind;
    for (unsigned source = 1; source <= 3; ++source) {
        poke(PLIC + 4 * source, 4, source == 2 ? 5 : 3);
        kind->input(plic->state, plic, source, true);
    }
    poke(PLIC + 0x2000, 4, 0xffffffff);
    ck_assert_uint_eq(peek(PLIC + 0x2000, 4), 0xfffffffe);
    ck_assert_uint_eq(peek(PLIC + 0x1000, 4), 0xe);
    poke(PLIC + 0x200000, 4, 5);
    ck_assert(!(pending() & 1 << 11)); /* none above the threshold */
    poke(PLIC + 0x200000, 4, 0);
    ck_assert(pending() & 1 << 11);
    ck_assert_uint_eq(peek(PLIC + 0x200004, 4), 2);
    ck_assert_uint_eq(peek(PLIC + 0x200004, 4), 1);
    ck_assert_uint_eq(peek(PLIC + 0x200004, 4), 3);
    ck_assert_uint_eq(peek(PLIC + 0x200004, 4), 0);
    poke(PLIC + 0x2000, 4, 0xfffffffb); /* what is not enabled cannot be completed: PLIC 1.0.0, 9 */
    poke(PLIC + 0x200004, 4, 2);
    poke(PLIC + 0x2000, 4, 0xfffffffe);
    ck_assert_uint_eq(peek(PLIC + 0x200004, 4), 0);
    poke(PLIC + 0x200004, 4, 2);
    ck_assert_uint_eq(peek(PLIC + 0x200004, 4), 2);
    ta_machine_free(machine);
}
END_TEST

/* A board whose time has gone on begins its timer anew. */
START_TEST(the_timer_begins_anew_with_a_reset) {
    power_on(dunlin());
    next(5000000);
    ck_assert_uint_eq(peek(ACLINT + 0xbff8, 4), 5000);
    ta_machine_reset(machine);
    ck_assert_uint_eq(ta_machine_time_ns(machine), 5000000);
    ck_assert_uint_eq(peek(ACLINT + 0xbff8, 4), 0);
    next(7000000);
    ck_assert_uint_eq(peek(ACLINT + 0xbff8, 4), 2000);
    ta_machine_free(machine);
}
END_TEST

START_TEST(the_timer_counts_at_its_own_clock) {
    power_on(dunlin());
    next(1000000);
    ck_assert_uint_eq(peek(ACLINT + 0xbff8, 4), 1000);
    ck_assert_uint_eq(peek(ACLINT + 0xbffc, 4), 0);
    poke(ACLINT + 0xbffc, 4, 2);
    ck_assert_uint_eq(peek(ACLINT + 0xbffc, 4), 2);
    ck_assert_uint_eq(peek(ACLINT + 0xbff8, 4), 1000);
    ck_assert(!(pending() & 1 << 7));
    poke(ACLINT + 0x4000, 4, 0);
    poke(ACLINT + 0x4004, 4, 2);
    ck_assert(pending() & 1 << 7);
    poke(ACLINT + 0x4004, 4, 3);
    ck_assert(!(pending() & 1 << 7));
    poke(ACLINT, 4, 1);
    ck_assert(pending() & 1 << 3 && peek(ACLINT, 4) == 1);
    poke(ACLINT, 4, 0);
    ck_assert(!(pending() & 1 << 3));
    ta_machine_free(machine);
}
END_TEST

static void open_line(uint16_t divisor, bool fifo) {
    poke(UART + 3, 1, 0x83);
    poke(UART, 1, divisor & 0xff);
    poke(UART + 1, 1, divisor >> 8);
    poke(UART + 3, 1, 0x03);
    poke(UART + 2, 1, fifo ? 7 : 0);
}

/* 32 MHz / (16 * 2000) = 1000 baud: ten milliseconds a character. */
/* Start bit, data, parity, stop: each takes its time. */
START_TEST(each_bit_of_a_character_takes_its_time) {
    static const struct {
        uint8_t line_control;
        unsigned bits;
    } rows[] = {{3, 10}, {7, 11}, {0, 7}, {4, 8}, {11, 11}, {15, 12}};
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i) {
        power_on(dunlin());
        open_line(2000, true); /* a millisecond a bit */
        poke(UART + 3, 1, rows[i].line_control);
        poke(UART, 1, 'a');
        ck_assert_int_eq(next(rows[i].bits * 1000000 - 1000).kind, TA_EVENT_TIME);
        ck_assert_int_eq(next(rows[i].bits * 1000000 + 1000).kind, TA_EVENT_CONSOLE);
        ta_machine_free(machine);
    }
}
END_TEST

START_TEST(the_serial_line_takes_its_time) {
    power_on(dunlin());
    open_line(2000, true);
    for (const char *at = "abcdefghijklmnopqr"; *at; ++at)
        poke(UART, 1, (uint8_t)*at); /* 18: one on the line, 16 wait, one is lost */
    ck_assert_uint_eq(peek(UART + 5, 1), 0x00);
    ck_assert_int_eq(next(9999000).kind, TA_EVENT_TIME);
    struct ta_event event = next(10001000);
    ck_assert(event.kind == TA_EVENT_CONSOLE && event.bytes[0] == 'a');
    ck_assert_str_eq(console_until(165000000), "bcdefghijklmnop");
    ck_assert_uint_eq(peek(UART + 5, 1), 0x20); /* the last is on the line */
    ck_assert_str_eq(console_until(1000000000), "q");
    ck_assert_uint_eq(peek(UART + 5, 1), 0x60);
    ta_machine_free(machine);
}
END_TEST

START_TEST(typing_comes_in_at_the_lines_speed) {
    power_on(dunlin());
    ck_assert_int_eq(ta_machine_type(machine, "tide", 4, false), TA_OK);
    next(5000000);
    ck_assert_uint_eq(peek(UART + 5, 1) & 1, 0); /* no speed set yet: nothing is understood */
    open_line(2000, true);
    ck_assert_uint_eq(peek(UART + 5, 1) & 1, 0); /* the first is still on its way */
    next(50000000);
    ck_assert_uint_eq(peek(UART, 1), 't');
    ck_assert_uint_eq(peek(UART, 1), 'i');
    ck_assert_uint_eq(peek(UART, 1), 'd');
    ck_assert_uint_eq(peek(UART, 1), 'e');
    ck_assert_uint_eq(peek(UART + 5, 1) & 1, 0);
    ck_assert_uint_eq(peek(UART, 1), 0);
    ta_machine_free(machine);
}
END_TEST

START_TEST(the_serial_lines_interrupts_have_their_order) {
    power_on(dunlin());
    open_line(2000, true);
    poke(UART + 2, 1, 0x47); /* trigger at four */
    poke(PLIC + 4, 4, 1);
    poke(PLIC + 0x2000, 4, 2);
    ck_assert_uint_eq(peek(UART + 2, 1), 0xc1);
    poke(UART + 1, 1, 2); /* tell when there is room */
    ck_assert(pending() & 1 << 11);
    ck_assert_uint_eq(peek(UART + 2, 1), 0xc2);
    ck_assert_uint_eq(peek(UART + 2, 1), 0xc1); /* told once */
    poke(UART + 1, 1, 1);
    ta_machine_type(machine, "ab", 2, false);
    next(21000000);
    ck_assert_uint_eq(peek(UART + 2, 1), 0xc1);         /* two, below the trigger */
    poke(PLIC + 0x200004, 4, peek(PLIC + 0x200004, 4)); /* the one before is done with */
    ck_assert(!(pending() & 1 << 11));
    next(61000000); /* the second is in at 20 ms, and four characters' time later it has waited too long */
    ck_assert(pending() & 1 << 11);
    ck_assert_uint_eq(peek(UART + 2, 1), 0xcc);
    ck_assert_uint_eq(peek(UART, 1), 'a');
    ck_assert_uint_eq(peek(UART + 2, 1), 0xc1);
    ta_machine_type(machine, "cdef", 4, false);
    next(200000000);
    ck_assert_uint_eq(peek(UART + 2, 1), 0xc4);
    poke(UART + 7, 1, 0x5a);
    ck_assert_uint_eq(peek(UART + 7, 1), 0x5a);
    poke(UART + 2, 1, 3); /* empties what came in */
    ck_assert_uint_eq(peek(UART + 5, 1) & 1, 0);
    for (const char *at = "xyz"; *at; ++at)
        poke(UART, 1, (uint8_t)*at);
    poke(UART + 2, 1, 5); /* empties what waits to go out, but what is on the line */
    ck_assert_str_eq(console_until(300000000), "x");
    poke(EXIT, 4, 200);
    poke(EXIT + 4, 4, 1);
    ck_assert_int_eq(next(300000000).code, 200);
    ta_machine_free(machine);
}
END_TEST

/* The bus of two wires, as a program uses it. */

enum { I2C = 0x4c040000, START = 1, WRITE = 2, READ = 4, STOP = 16, BUSY = 1, REFUSED = 2, DONE = 4 };

/* Carries out COMMAND; what the status is then. */
static uint32_t command(uint32_t what) {
    poke(I2C + 0x04, 4, what);
    ck_assert_uint_eq(peek(I2C + 0x0c, 4), BUSY);
    while (peek(I2C + 0x0c, 4) & BUSY)
        next(ta_machine_time_ns(machine) + 1000);
    return peek(I2C + 0x0c, 4);
}

static uint32_t put_byte(uint8_t byte, uint32_t more) {
    poke(I2C + 0x08, 4, byte);
    return command(WRITE | more);
}

/* COUNT registers of the part at ADDRESS from AT on. */
static void read_part(unsigned address, uint8_t at, uint8_t *bytes, size_t count) {
    ck_assert_uint_eq(put_byte((uint8_t)(address << 1), START), DONE);
    ck_assert_uint_eq(put_byte(at, 0), DONE);
    ck_assert_uint_eq(put_byte((uint8_t)(address << 1 | 1), START), DONE);
    for (size_t i = 0; i < count; ++i) {
        ck_assert_uint_eq(command(i + 1 < count ? READ : READ | STOP), DONE);
        bytes[i] = (uint8_t)peek(I2C + 0x08, 4);
    }
}

static void open_bus(void) {
    power_on(dunlin());
    poke(I2C + 0x10, 4, 80); /* 400 kHz */
    poke(I2C, 4, 1);
}

START_TEST(a_byte_on_the_bus_takes_its_time) {
    open_bus();
    poke(PLIC + 4 * 4, 4, 1);
    poke(PLIC + 0x2000, 4, 1 << 4);
    poke(I2C, 4, 3);
    poke(I2C + 0x08, 4, 0x1e << 1);
    poke(I2C + 0x04, 4, START | WRITE);
    poke(I2C + 0x04, 4, STOP); /* dropped: one is under way */
    next(24900);               /* ten bits of 2.5 us */
    ck_assert_uint_eq(peek(I2C + 0x0c, 4), BUSY);
    ck_assert(!(pending() & 1 << 11));
    next(25100);
    ck_assert_uint_eq(peek(I2C + 0x0c, 4), DONE);
    ck_assert(pending() & 1 << 11);
    poke(I2C + 0x0c, 4, DONE);
    poke(PLIC + 0x200004, 4, peek(PLIC + 0x200004, 4));
    ck_assert(!(pending() & 1 << 11));
    ck_assert_uint_eq(put_byte(0x23 << 1, START), DONE | REFUSED); /* nobody is there */
    ck_assert_uint_eq(put_byte(1, 0), DONE | REFUSED);
    ck_assert_uint_eq(command(READ | STOP), DONE);
    ck_assert_uint_eq(peek(I2C + 0x08, 4), 0xff);
    poke(I2C, 4, 0);
    poke(I2C + 0x04, 4, START | WRITE); /* it is off */
    ck_assert_uint_eq(peek(I2C + 0x0c, 4) & BUSY, 0);
    ta_machine_free(machine);
}
END_TEST

START_TEST(sensors_tell_what_was_set) {
    uint8_t bytes[12];
    struct ta_problem why;
    open_bus();
    read_part(0x1e, 0, bytes, 4);
    ck_assert(bytes[0] == 0x43 && !bytes[1] && !bytes[2] && !bytes[3]);
    ck_assert_int_eq(ta_machine_set_input(machine, "heading", 271500, &why), TA_OK);
    struct ta_event event = next(ta_machine_time_ns(machine) + 1);
    ck_assert(event.kind == TA_EVENT_INPUT && event.value == 271500 && event.width == 64);
    read_part(0x1e, 2, bytes, 2);
    ck_assert_uint_eq(bytes[0] | bytes[1] << 8, 0); /* off, it measures nothing */
    put_byte(0x1e << 1, START);
    put_byte(1, 0);
    ck_assert_uint_eq(put_byte(1, STOP), DONE);
    read_part(0x1e, 2, bytes, 2);
    ck_assert_uint_eq(bytes[0] | bytes[1] << 8, 2715);
    ck_assert_int_eq(ta_machine_set_input(machine, "heading", 360000, &why), TA_OK); /* which is north again */
    read_part(0x1e, 2, bytes, 2);
    ck_assert_uint_eq(bytes[0] | bytes[1] << 8, 0);
    put_byte(0x6a << 1, START);
    put_byte(1, 0);
    put_byte(1, STOP);
    read_part(0x6a, 2, bytes, 12);
    ck_assert_int_eq((int16_t)(bytes[4] | bytes[5] << 8), 1000); /* it lies on the desk */
    ck_assert_int_eq(ta_machine_set_input(machine, "acceleration y", (uint64_t)-1250, &why), TA_OK);
    ck_assert_int_eq(ta_machine_set_input(machine, "rotation z", (uint64_t)-90500, &why), TA_OK);
    read_part(0x6a, 2, bytes, 12);
    ck_assert_int_eq((int16_t)(bytes[2] | bytes[3] << 8), -1250);
    ck_assert_int_eq((int16_t)(bytes[10] | bytes[11] << 8), -905);
    ck_assert_int_eq(ta_machine_set_input(machine, "heading", (uint64_t)-1000, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "heading: -1 deg is out of range");
    ck_assert_str_eq(why.fix, "0 to 360 deg");
    ta_machine_power(machine, false); /* the world goes on without power */
    ta_machine_power(machine, true);
    poke(I2C + 0x10, 4, 80);
    poke(I2C, 4, 1);
    put_byte(0x6a << 1, START);
    put_byte(1, 0);
    put_byte(1, STOP);
    read_part(0x6a, 4, bytes, 2);
    ck_assert_int_eq((int16_t)(bytes[0] | bytes[1] << 8), -1250);
    ta_machine_free(machine);
}
END_TEST

/* A model of one's own: a tide gauge that counts up by itself and is reset by a write. */
struct gauge {
    uint32_t level;
};

static void gauge_reset(void *state, struct ta_slot *slot) {
    ((struct gauge *)state)->level = (uint32_t)ta_slot_option(slot, "start", 5);
    ta_slot_wake_at(slot, ta_slot_now(slot) + ta_slot_clock_hz(slot) / 1000);
}

static void gauge_wake(void *state, struct ta_slot *slot) {
    ++((struct gauge *)state)->level;
    ta_slot_interrupt(slot, true);
    ta_slot_wake_at(slot, ta_slot_now(slot) + ta_slot_clock_hz(slot) / 1000);
}

static uint64_t gauge_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    (void)slot;
    return offset == 0 && size_bytes == 4 ? ((struct gauge *)state)->level : 0;
}

START_TEST(a_model_of_ones_own_takes_part) {
    static const struct ta_device_kind gauge = {.version = TA_DEVICE_VERSION,
                                                .model = "gauge",
                                                .span_bytes = 0x100,
                                                .state_bytes = sizeof(struct gauge),
                                                .widths = 4,
                                                .reset = gauge_reset,
                                                .wake = gauge_wake,
                                                .read = gauge_read};
    const struct ta_device_kind *extra[] = {&gauge};
    struct ta_option start = {"start", 40};
    struct ta_device devices[16];
    struct ta_profile profile = *dunlin();
    size_t count = profile.device_count;
    memcpy(devices, profile.devices, count * sizeof *devices);
    devices[count] = (struct ta_device){
        .name = "gauge", .model = "gauge", .base = 0x4d000000, .interrupt = 9, .options = &start, .option_count = 1};
    profile.devices = devices;
    profile.device_count = count + 1;
    ck_assert_int_eq(ta_machine_new(&profile, extra, 1, &machine, NULL), TA_OK);
    ta_machine_power(machine, true);
    ck_assert_uint_eq(peek(0x4d000000, 4), 40);
    poke(0x4d000000, 4, 1); /* no write function: dropped */
    machine->harts[0].hart.state.waiting = true;
    ck_assert_int_eq(next(3500000).kind, TA_EVENT_TIME);
    ck_assert_uint_eq(peek(0x4d000000, 4), 43);
    ck_assert_uint_eq(peek(PLIC + 0x1000, 4), 1 << 9);
    ta_machine_free(machine);
}
END_TEST

/* Those that a program asks now and then. */
START_TEST(batteries_seeds_and_watchdogs) {
    enum { BATTERY = 0x50000000, ENTROPY = 0x50001000, WATCHDOG = 0x50002000, CALENDAR = 0x50003000 };
    static const struct ta_memory ram = {"ram", TA_MEMORY_RAM, 0x10000000, 4096};
    static const struct ta_device some[] = {
        {.name = "plic", .model = "plic", .base = PLIC},
        {.name = "battery0", .model = "battery", .base = BATTERY, .interrupt = 5},
        {.name = "entropy0", .model = "entropy", .base = ENTROPY},
        {.name = "watchdog0", .model = "watchdog", .base = WATCHDOG},
        {.name = "calendar0", .model = "calendar", .base = CALENDAR, .interrupt = 6}};
    static const struct ta_connector sensed[] = {
        {.name = "battery", .kind = TA_CONNECTOR_SENSOR, .device = "battery0", .quantity = "charge"},
        {.name = "current", .kind = TA_CONNECTOR_SENSOR, .device = "battery0", .quantity = "battery current"},
        {.name = "seed", .kind = TA_CONNECTOR_SENSOR, .device = "entropy0", .quantity = "seed"},
        {.name = "date", .kind = TA_CONNECTOR_SENSOR, .device = "calendar0", .quantity = "date"}};
    static const struct ta_profile profile = {.name = "nightjar",
                                              .version = "1.0.0",
                                              .struct_version = TA_PROFILE_VERSION,
                                              .isa = "rv32imac_zicsr",
                                              .clock_hz = 1000000,
                                              .reset_address = 0x10000000,
                                              .memories = &ram,
                                              .memory_count = 1,
                                              .devices = some,
                                              .device_count = 5,
                                              .connectors = sensed,
                                              .connector_count = 4};
    power_on(&profile);
    ck_assert(peek(BATTERY, 4) == 1000 && peek(BATTERY + 4, 4) == 3900 && peek(BATTERY + 8, 4) == (uint32_t)-50);
    poke(BATTERY + 0xc, 4, 200);
    poke(BATTERY + 0x10, 4, 2);
    ck_assert_uint_eq(peek(PLIC + 0x1000, 4), 0);
    ck_assert(!ta_machine_set_input(machine, "battery", 20001, NULL));
    ck_assert_uint_eq(peek(PLIC + 0x1000, 4), 1 << 5);
    ck_assert(!ta_machine_set_input(machine, "current", (uint64_t)1500, NULL));
    ck_assert(peek(BATTERY, 4) == 200 && peek(BATTERY + 8, 4) == 1500);
    ck_assert_int_eq(ta_machine_set_input(machine, "battery", 100001, NULL), TA_E_INPUT);

    /* A number at a time, and the seed gives them. */
    uint32_t numbers[2][3];
    for (int round = 0; round < 3; ++round) {
        ck_assert(!ta_machine_set_input(machine, "seed", round < 2 ? 7000 : 8000, NULL));
        ta_machine_reset(machine);
        poke(ENTROPY, 4, 1);
        ck_assert(peek(ENTROPY + 4, 4) == 0 && peek(ENTROPY + 8, 4) == 0);
        for (int i = 0; i < 3; ++i) {
            while (!(peek(ENTROPY + 4, 4) & 1))
                next(ta_machine_time_ns(machine) + 10000);
            uint32_t number = peek(ENTROPY + 8, 4);
            ck_assert(round != 1 || number == numbers[0][i]);
            ck_assert(round != 2 || number != numbers[0][i]);
            numbers[round > 0][i] = number;
        }
        ck_assert(numbers[0][0] != numbers[0][1] && numbers[0][1] != numbers[0][2]);
    }

    /* The watchdog bites at once what feeds it wrongly; a program cannot turn it off. */
    poke(WATCHDOG + 4, 4, 0);
    ck_assert_uint_eq(peek(WATCHDOG + 4, 4), 1000);
    poke(WATCHDOG + 8, 4, 1); /* it is off */
    poke(WATCHDOG, 4, 1);
    poke(WATCHDOG, 4, 0);
    ck_assert_uint_eq(peek(WATCHDOG, 4), 1);
    next(ta_machine_time_ns(machine) + 10000);
    ck_assert_uint_eq(peek(WATCHDOG + 0xc, 4), 0);
    next(ta_machine_time_ns(machine) + 600000000);
    poke(WATCHDOG, 4, 1); /* which feeds it not */
    next(ta_machine_time_ns(machine) + 450000000);
    ck_assert(peek(WATCHDOG + 0xc, 4) == 1 && peek(WATCHDOG, 4) == 0);
    poke(WATCHDOG + 0xc, 4, 1);
    poke(WATCHDOG, 4, 1);
    poke(WATCHDOG + 8, 4, 1);
    next(ta_machine_time_ns(machine) + 3000000);
    ck_assert(peek(WATCHDOG + 0xc, 4) == 1 && peek(WATCHDOG, 4) == 0);
    ta_machine_power(machine, true);
    ck_assert_uint_eq(peek(WATCHDOG + 0xc, 4), 0);

    /* An alarm comes with its second, once. */
    const uint8_t here[] = {0x6f, 0, 0, 0};
    ck_assert_int_eq(ta_machine_write(machine, 0x10000000, here, 4), TA_OK);
    ck_assert(!ta_machine_set_input(machine, "date", UINT64_C(1767225600500), NULL));
    ck_assert(peek(CALENDAR, 4) == 1767225600 && peek(CALENDAR + 8, 4) == 500);
    poke(CALENDAR, 4, 5);
    ck_assert_uint_eq(peek(CALENDAR, 4), 5);
    ta_machine_power(machine, true); /* which begins with the desk's date again */
    ck_assert_int_eq(ta_machine_write(machine, 0x10000000, here, 4), TA_OK);
    ck_assert(peek(CALENDAR, 4) == 1767225600 && peek(CALENDAR + 8, 4) == 500);
    poke(CALENDAR + 0xc, 4, 1767225602);
    poke(CALENDAR + 0x10, 4, 3);
    for (struct ta_event event = next(1490000000); event.kind != TA_EVENT_TIME; event = next(1490000000))
        ;
    ck_assert_uint_eq(peek(CALENDAR + 0x14, 4), 0);
    next(1510000000);
    ck_assert_uint_eq(peek(CALENDAR + 0x14, 4), 1);
    poke(CALENDAR + 0x14, 4, 1);
    next(3000000000);
    ck_assert_uint_eq(peek(CALENDAR + 0x14, 4), 0);
    ta_machine_free(machine);
}
END_TEST

/* A device takes the accesses that its model declares; others are faults, or are made of those where it says so. */
static uint64_t seen_value;
static unsigned seen_size;

static uint64_t plain_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    (void)slot;
    seen_size = size_bytes;
    return ((const uint32_t *)state)[offset / 4];
}

static void plain_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    (void)slot;
    seen_size = size_bytes;
    seen_value = value;
    ((uint32_t *)state)[offset / 4] = (uint32_t)value;
}

START_TEST(accesses_are_those_that_a_model_declares) {
    uint64_t value;
    power_on(dunlin());
    struct hart *hart = &machine->harts[0].hart;
    ck_assert(!hart_load(hart, GPIO + 4, 1, &value) && hart->state.mcause == CAUSE_LOAD_ACCESS);
    ck_assert(!hart_store(hart, GPIO + 4, 2, 1) && hart->state.mcause == CAUSE_STORE_ACCESS);
    ck_assert(!hart_load(hart, UART, 4, &value) && !hart_store(hart, PLIC + 4, 1, 1));
    ck_assert(hart_store(hart, ACLINT + 0x4000, 8, UINT64_C(0x123456789a)) &&
              hart_load(hart, ACLINT + 0x4004, 4, &value));
    ck_assert_uint_eq(value, 0x12);
    ta_machine_free(machine);

    static const struct ta_device_kind strict = {.version = TA_DEVICE_VERSION,
                                                 .model = "gauge",
                                                 .span_bytes = 16,
                                                 .state_bytes = 16,
                                                 .widths = 4,
                                                 .read = plain_read,
                                                 .write = plain_write};
    struct ta_device_kind merging = strict;
    merging.merges = true;
    const struct ta_device device = {.name = "gauge", .model = "gauge", .base = 0x4d000000};
    struct ta_profile profile = *dunlin();
    profile.devices = &device;
    profile.device_count = 1;
    profile.connector_count = 0;
    for (int i = 0; i < 2; ++i) {
        const struct ta_device_kind *extra[] = {i ? &merging : &strict};
        ck_assert_int_eq(ta_machine_new(&profile, extra, 1, &machine, NULL), TA_OK);
        ta_machine_power(machine, true);
        hart = &machine->harts[0].hart;
        ck_assert(hart_store(hart, device.base + 4, 4, UINT64_C(0x9911223344))); /* the surplus is not passed on */
        ck_assert_uint_eq(seen_value, 0x11223344);
        ck_assert(hart_store(hart, device.base + 5, 1, 0xfff) == (i == 1));
        ck_assert(hart_load(hart, device.base + 4, 4, &value));
        ck_assert_uint_eq(value, i ? 0x1122ff44 : 0x11223344);
        ck_assert(hart_load(hart, device.base + 6, 2, &value) == (i == 1) && seen_size == 4);
        ck_assert(!i || value == 0x1122);
        ck_assert(!hart_load(hart, device.base, 8, &value));
        ta_machine_free(machine);
    }
}
END_TEST

/* The loop of a 16550 tests the line without one: what is sent comes in, the outputs are the inputs, the console hears nothing. */
START_TEST(the_serial_line_can_be_looped) {
    power_on(dunlin());
    poke(UART + 3, 1, 0x83);
    poke(UART, 1, 17); /* 115,200 Bd at 32 MHz */
    poke(UART + 3, 1, 0x03);
    poke(UART + 4, 1, 0xff);
    ck_assert_uint_eq(peek(UART + 4, 1), 0x1f); /* bits 7 to 5 are always 0 */
    ck_assert_uint_eq(peek(UART + 6, 1) & 0xf0, 0xf0);
    poke(UART + 4, 1, 0x11);
    ck_assert_uint_eq(peek(UART + 6, 1) & 0xf0, 0x20); /* DTR comes back as DSR */
    poke(UART, 1, 'x');
    ck_assert_str_eq(console_until(1000000), "");
    ck_assert_uint_eq(peek(UART + 5, 1) & 1, 1);
    ck_assert_uint_eq(peek(UART, 1), 'x');
    poke(UART + 4, 1, 0);
    poke(UART, 1, 'y');
    ck_assert_str_eq(console_until(2000000), "y");
    /* The holding register is empty as soon as the byte is on the line: the next one can be written then. */
    poke(UART + 1, 1, 2);
    ck_assert_uint_eq(peek(UART + 2, 1), 2);
    ck_assert_uint_eq(peek(UART + 2, 1), 1);
    poke(UART, 1, 'a');
    ck_assert_uint_eq(peek(UART + 2, 1), 2);
    poke(UART, 1, 'b');
    ck_assert_uint_eq(peek(UART + 2, 1), 1);
    ck_assert_str_eq(console_until(ta_machine_time_ns(machine) + 100000), "a");
    ck_assert_uint_eq(peek(UART + 2, 1), 2);
    ta_machine_free(machine);
}
END_TEST

/* Beyond 2^64 the time starts from 0 again, and what was due then is ahead once more. */
START_TEST(the_timers_line_falls_when_time_wraps) {
    power_on(dunlin());
    poke(ACLINT + 0x4000, 4, 0xfffffff0);
    poke(ACLINT + 0x4004, 4, 0xffffffff);
    poke(ACLINT + 0xbffc, 4, 0xffffffff);
    poke(ACLINT + 0xbff8, 4, 0xffffffe0);
    ck_assert(!(pending() & 1 << 7));
    next(ta_machine_time_ns(machine) + 17000); /* a microsecond a tick */
    ck_assert(pending() & 1 << 7);
    next(ta_machine_time_ns(machine) + 17000);
    ck_assert(!(pending() & 1 << 7) && !peek(ACLINT + 0xbffc, 4) && peek(ACLINT + 0xbff8, 4) < 4);
    poke(ACLINT + 0x4000, 4, 20);
    poke(ACLINT + 0x4004, 4, 0);
    next(ta_machine_time_ns(machine) + 30000);
    ck_assert(pending() & 1 << 7);
    /* A value nearly 2^64 ticks ahead is none of the past. */
    poke(ACLINT + 0xbff8, 4, 1);
    poke(ACLINT + 0x4004, 4, 0xffffffff);
    poke(ACLINT + 0x4000, 4, 0xfffffffe);
    ck_assert_int_eq(next(ta_machine_time_ns(machine) + 30000).kind, TA_EVENT_TIME);
    ck_assert(!(pending() & 1 << 7));
    ta_machine_free(machine);
}
END_TEST

/* What comes in while there is no room is lost, and told of; in a loop, since the console waits for room. */
START_TEST(a_byte_too_many_is_an_overrun) {
    for (unsigned fifo = 0; fifo < 2; ++fifo) {
        power_on(dunlin());
        open_line(17, fifo);
        poke(PLIC + 4, 4, 1);
        poke(PLIC + 0x2000, 4, 2);
        poke(UART + 4, 1, 0x10);
        peek(UART + 6, 1);
        poke(UART + 1, 1, 4); /* line status alone */
        for (unsigned i = 0; i < 18; ++i) {
            ck_assert(!(peek(UART + 5, 1) & 2) || i > (fifo ? 16 : 1));
            ck_assert_uint_eq(pending() & 1 << 11, 0);
            poke(UART, 1, 'a' + i);
            next(ta_machine_time_ns(machine) + 100000);
            if (i == (fifo ? 16 : 1))
                break;
        }
        ck_assert(pending() & 1 << 11);
        ck_assert_uint_eq(peek(UART + 2, 1) & 0xf, 6);
        ck_assert_uint_eq(peek(UART + 5, 1), 0x63);
        ck_assert_uint_eq(peek(UART + 5, 1), 0x61);
        ck_assert_uint_eq(peek(UART + 2, 1) & 0xf, 1);
        ck_assert_uint_eq(peek(UART, 1), fifo ? 'a' : 'b');
        poke(UART + 2, 1, fifo ? 0 : 1); /* switched over, nothing is left */
        ck_assert_uint_eq(peek(UART + 5, 1), 0x60);
        /* Words of five bits; of the modem's lines what changed, a ring at its end. */
        poke(UART + 3, 1, 0);
        poke(UART, 1, 0xff);
        next(ta_machine_time_ns(machine) + 100000);
        ck_assert_uint_eq(peek(UART, 1), 0x1f);
        poke(UART + 1, 1, 8);
        ck_assert_uint_eq(peek(UART + 2, 1) & 0xf, 1);
        poke(UART + 4, 1, 0x15);
        ck_assert_uint_eq(peek(UART + 2, 1) & 0xf, 0);
        ck_assert_uint_eq(peek(UART + 6, 1), 0x62);
        ck_assert_uint_eq(peek(UART + 6, 1), 0x60);
        poke(UART + 4, 1, 0x1a);
        ck_assert_uint_eq(peek(UART + 6, 1), 0x9f);
        ck_assert_uint_eq(peek(UART + 2, 1) & 0xf, 1);
        ta_machine_free(machine);
    }
}
END_TEST

/* A loop that waits until an overrun is over does not wait for ever: reading ends it. */
START_TEST(reading_ends_what_a_loop_waits_for) {
    static const uint32_t code[] = {0x00554583 /* lbu a1, 5(a0) */, 0x0025f593 /* andi a1, a1, 2 */,
                                    0xfe059ce3 /* bnez a1, the first */, 0x00100613 /* li a2, 1 */, 0x0000006f};
    uint64_t passed;
    power_on(dunlin());
    open_line(17, false);
    poke(UART + 4, 1, 0x10);
    for (unsigned i = 0; i < 3; ++i) {
        poke(UART, 1, i);
        next(ta_machine_time_ns(machine) + 100000);
    }
    const uint32_t ram = (uint32_t)ta_profile_memory(dunlin(), "ram")->base;
    ta_machine_write(machine, ram, code, sizeof code);
    ta_machine_set_register(machine, 0, TA_REGISTER_PC, ram);
    ta_machine_set_register(machine, 0, 10, UART);
    next(ta_machine_time_ns(machine) + 100000);
    ck_assert(!ta_machine_register(machine, 0, 12, &passed) && passed == 1);
    ta_machine_free(machine);
}
END_TEST

/* A model of one's own that wants to be woken at once, again and again, holds nobody: a run ends when its time is over. */
static unsigned wakes;

static void at_once(void *state, struct ta_slot *slot) {
    (void)state;
    ++wakes;
    ta_slot_wake_at(slot, ta_slot_now(slot));
}

START_TEST(a_device_that_wakes_itself_at_once_holds_nobody) {
    static const struct ta_device_kind eager = {.version = TA_DEVICE_VERSION,
                                                .model = "eager",
                                                .span_bytes = 16,
                                                .widths = 4,
                                                .reset = at_once,
                                                .wake = at_once};
    static const struct ta_device_kind *const extra[] = {&eager};
    static const struct ta_memory ram = {"ram", TA_MEMORY_RAM, 0x10000000, 1 << 16};
    static const struct ta_device device = {.name = "eager", .model = "eager", .base = 0x20000000};
    static const struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                              .name = "eager",
                                              .isa = "rv32imac_zicsr",
                                              .clock_hz = 1000000,
                                              .reset_address = 0x10000000,
                                              .memories = &ram,
                                              .memory_count = 1,
                                              .devices = &device,
                                              .device_count = 1};
    const uint8_t here[] = {0x6f, 0, 0, 0};
    wakes = 0;
    ck_assert_int_eq(ta_machine_new(&profile, extra, 1, &machine, NULL), TA_OK);
    ta_machine_power(machine, true);
    ta_machine_write(machine, 0x10000000, here, 4);
    ck_assert_int_eq(next(1000000).kind, TA_EVENT_TIME);
    ck_assert(ta_machine_time_ns(machine) == 1000000 && wakes > 900);
    ta_machine_free(machine);
}
END_TEST

/* Registers of what is not there hold nothing. */
START_TEST(registers_of_absent_harts_hold_nothing) {
    power_on(dunlin());
    poke(PLIC, 4, 7);
    poke(ACLINT + 4 * 3, 4, 1);
    poke(ACLINT + 0x4000 + 8 * 3, 4, 1);
    poke(PLIC + 0x201000, 4, 3);
    ck_assert_uint_eq(peek(PLIC, 4), 0);
    ck_assert_uint_eq(peek(ACLINT + 4 * 3, 4), 0);
    ck_assert_uint_eq(peek(ACLINT + 0x4000 + 8 * 3, 4), UINT32_MAX);
    ck_assert_uint_eq(peek(PLIC + 0x201000, 4), 0);
    ta_machine_free(machine);
}
END_TEST

/* Lamps that are lit by a low pin are dark without power; a stopped machine stands still when it is stepped, and a reset revives it. */
START_TEST(power_and_steps_at_their_ends) {
    struct ta_profile profile = *dunlin();
    struct ta_connector lamps = *ta_profile_connector(&profile, "lamps");
    uint64_t value;
    struct ta_event event;
    lamps.active_low = true;
    profile.connectors = &lamps;
    profile.connector_count = 1;
    power_on(&profile);
    ck_assert(!ta_machine_output(machine, "lamps", &value, NULL) && value == 0xff);
    ta_machine_power(machine, false);
    ck_assert(!ta_machine_output(machine, "lamps", &value, NULL) && value == 0);
    ta_machine_step(machine, 0, 1000, &event);
    ck_assert_uint_eq(ta_machine_time_ns(machine), 0);
    ta_machine_power(machine, true);
    poke(0x4c020004, 4, 1);
    ta_machine_run(machine, 1000, &event);
    ck_assert_int_eq(ta_machine_stopped(machine), TA_STOP_ENDED);
    ta_machine_step(machine, 0, 1000, &event);
    ck_assert_uint_lt(ta_machine_time_ns(machine), 2000);
    ta_machine_reset(machine);
    ta_machine_step(machine, 0, 10, &event);
    ck_assert(ta_machine_stopped(machine) == TA_STOP_NONE && ta_machine_retired(machine) >= 10);
    ta_machine_free(machine);
}
END_TEST

START_TEST(descriptions_that_cannot_be_are_refused) {
    static const struct ta_device_kind deaf = {
        .version = TA_DEVICE_VERSION, .model = "plic", .span_bytes = 16, .widths = 4, .is_interrupt_controller = true};
    const struct ta_device_kind *extra[] = {&deaf};
    struct ta_profile profile = *dunlin();
    struct ta_problem why;
    ck_assert_int_eq(ta_machine_new(&profile, extra, 1, &machine, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "takes no interrupts"));
    profile.isa = NULL;
    ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "isa is missing");
}
END_TEST

START_TEST(every_built_in_model_says_what_it_is) {
    const struct ta_device_kind *kind;
    size_t count = 0;
    for (; (kind = ta_machine_model(count)); ++count)
        ck_assert(kind->version == TA_DEVICE_VERSION && *kind->model && *kind->summary &&
                  (kind->span_bytes || kind->transfer));
    ck_assert_uint_ge(count, 5);
}
END_TEST

/* Any access of any size anywhere in the devices' registers, in any order. */
START_TEST(random_accesses_never_break_a_device) {
    static const uint32_t bases[] = {
        GPIO, UART, PLIC, PLIC + 0x1f0000, PLIC + 0x200000, I2C, ACLINT, ACLINT + 0x4000, ACLINT + 0xb000};
    GRand *random = g_rand_new_with_seed(11);
    power_on(dunlin());
    ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 0x305, 0x10000000);
    for (int i = 0; i < 100000; ++i) {
        unsigned size = 1u << g_rand_int_range(random, 0, 3);
        uint32_t address = bases[g_rand_int_range(random, 0, G_N_ELEMENTS(bases))] +
                           (uint32_t)(g_rand_int_range(random, 0, 0x2000) & ~(int)(size - 1));
        uint64_t value;
        if (address - ACLINT < 0xc000 || address < ACLINT || address >= UART) {
            if (g_rand_boolean(random))
                hart_store(&machine->harts[0].hart, address, size,
                           g_rand_int(random) >> g_rand_int_range(random, 0, 32));
            else
                hart_load(&machine->harts[0].hart, address, size, &value);
        }
        if (i % 16 == 0)
            ta_machine_type(machine, "x", 1, false);
        next(ta_machine_time_ns(machine) + 20000);
    }
    ta_machine_free(machine);
    g_rand_free(random);
}
END_TEST

/* A timer that a program sets is there at its cycle, however far the run would have gone on. */
START_TEST(a_timer_that_is_set_comes_in_time) {
    static const uint32_t code[] = {0x48004537 /* lui a0, 0x48004 */, 0x00200593 /* li a1, 2: MTIME's microseconds */,
                                    0x00052223 /* sw x0, 4(a0) */, 0x00b52023 /* sw a1, (a0) */, 0x0000006f};
    static const uint32_t handler[] = {0xb0002673 /* csrr a2, mcycle */, 0x0000006f};
    uint64_t cycle;
    power_on(dunlin());
    const uint32_t ram = (uint32_t)ta_profile_memory(dunlin(), "ram")->base;
    ta_machine_write(machine, ram, code, sizeof code);
    ta_machine_write(machine, ram + 0x100, handler, sizeof handler);
    ta_machine_set_register(machine, 0, TA_REGISTER_PC, ram);
    ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 0x305, ram + 0x100);
    ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 0x304, 0x80);
    ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 0x300, 8);
    next(1000000);
    ck_assert(!ta_machine_register(machine, 0, 12, &cycle));
    ck_assert_msg(cycle >= 64 && cycle < 70, "it came at cycle %llu", (unsigned long long)cycle); /* of 32 MHz */
    ta_machine_free(machine);
}
END_TEST

int main(void) {
    return run_suite("devices", (const TTest *const[]){lamps_follow_the_pins_and_tell_changes_once,
                                                       the_button_pulls_its_pin_down_and_interrupts,
                                                       the_plic_gives_the_highest_priority_first,
                                                       the_timer_begins_anew_with_a_reset,
                                                       the_timer_counts_at_its_own_clock,
                                                       each_bit_of_a_character_takes_its_time,
                                                       the_serial_line_takes_its_time,
                                                       typing_comes_in_at_the_lines_speed,
                                                       the_serial_lines_interrupts_have_their_order,
                                                       a_byte_on_the_bus_takes_its_time,
                                                       sensors_tell_what_was_set,
                                                       a_model_of_ones_own_takes_part,
                                                       every_built_in_model_says_what_it_is,
                                                       random_accesses_never_break_a_device,
                                                       batteries_seeds_and_watchdogs,
                                                       accesses_are_those_that_a_model_declares,
                                                       the_serial_line_can_be_looped,
                                                       a_byte_too_many_is_an_overrun,
                                                       reading_ends_what_a_loop_waits_for,
                                                       the_timers_line_falls_when_time_wraps,
                                                       a_device_that_wakes_itself_at_once_holds_nobody,
                                                       registers_of_absent_harts_hold_nothing,
                                                       power_and_steps_at_their_ends,
                                                       descriptions_that_cannot_be_are_refused,
                                                       a_timer_that_is_set_comes_in_time,
                                                       NULL});
}
