/* What must be the same on every host, a line each: built for two of them, the lines are compared. On the C library alone. */
#include "base/digest.h"
#include "base/units.h"
#include "fuzz/board.h"
#include "machine/hart/floating.h"
#include "tameanchor/machine.h"
#include "tameanchor/trial.h"
#include "tameanchor/version.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static uint64_t state = 1;

/* Knuth's MMIX generator, the upper bits. */
static uint64_t any(void) {
    state = state * UINT64_C(6364136223846793005) + UINT64_C(1442695040888963407);
    return state >> 32 | state << 32;
}

static void print(const char *what, uint64_t digest) {
    printf("%s %016llx\n", what, (unsigned long long)digest);
}

static void floats(void) {
    const struct float_format *const formats[] = {&float_single, &float_double};
    uint64_t digest = DIGEST_START;
    for (unsigned i = 0; i < 400000; ++i) {
        const struct float_format *format = formats[i & 1], *other = formats[~i & 1];
        uint64_t a = any(), b = any() >> (i / 2 % 3 ? 0 : 9), c = any();
        enum rounding mode = (enum rounding)(i / 5 % 5);
        unsigned flags = 0;
        const uint64_t mask = i & 1 ? UINT64_MAX : UINT32_MAX;
        a &= mask, b &= mask, c &= mask;
        const uint64_t results[] = {float_add(format, a, b, mode, &flags),
                                    float_multiply(format, a, b, mode, &flags),
                                    float_divide(format, a, b, mode, &flags),
                                    float_root(format, a, mode, &flags),
                                    float_fused(format, a, b, c, mode, &flags),
                                    float_convert(format, other, a, mode, &flags),
                                    float_to_integer(format, a, i & 2 ? 64 : 32, i & 4, mode, &flags),
                                    float_from_integer(format, b, i & 8, mode, &flags)};
        for (size_t k = 0; k < sizeof results / sizeof *results; ++k)
            digest = digest_number(digest, results[k]);
        digest = digest_number(digest, flags);
    }
    print("floats", digest);
}

/* Any bytes as programs of two harts of two widths beside all devices; snapshots, byte by byte. */
static void boards(void) {
    uint64_t digest = DIGEST_START, snapshots = DIGEST_START;
    for (unsigned run = 0; run < 60; ++run) {
        struct ta_machine *machine = fuzz_board();
        struct ta_snapshot *snapshot;
        struct ta_event event;
        uint8_t bytes[RAM_BYTES];
        size_t length;
        for (size_t i = 0; i < sizeof bytes; ++i)
            bytes[i] = (uint8_t)any();
        if (ta_machine_write(machine, RAM, bytes, sizeof bytes))
            abort();
        for (unsigned i = 1; i < 32; ++i)
            ta_machine_set_register(machine, i % 2, i, RAM + 0x10000 * (i % 3) + 64 * i);
        ta_machine_set_register(machine, run % 2, TA_REGISTER_CSR + 0x300, 0x6000);
        for (unsigned i = 0; i < 200; ++i) {
            ta_machine_run(machine, ta_machine_time_ns(machine) + 5000, &event);
            digest = digest_number(digest_number(digest, event.time_ns), event.pc);
        }
        digest = digest_number(digest, ta_machine_trace(machine));
        if (ta_machine_save(machine, &snapshot))
            abort();
        const void *saved = ta_snapshot_bytes(snapshot, &length);
        snapshots = digest_bytes(snapshots, saved, length);
        ta_snapshot_free(snapshot);
        ta_machine_free(machine);
    }
    print("boards", digest);
    print("snapshots", snapshots);
}

static const struct ta_memory memories[] = {{"flash", TA_MEMORY_FLASH, 0x10000000, 1 << 12}};
static const struct ta_device devices[] = {{.name = "uart0", .model = "uart16550", .base = 0x4c000000},
                                           {.name = "gpio0", .model = "gpio", .base = 0x4c010000}};
static const struct ta_connector connectors[] = {
    {.name = "console", .kind = TA_CONNECTOR_CONSOLE, .device = "uart0"},
    {.name = "lamps", .kind = TA_CONNECTOR_LAMPS, .device = "gpio0", .count = 8},
    {.name = "button A", .kind = TA_CONNECTOR_BUTTON, .device = "gpio0", .pin = 8}};
static const struct ta_profile board = {.struct_version = TA_PROFILE_VERSION,
                                        .name = "staff",
                                        .isa = "rv32imac_zicsr",
                                        .clock_hz = 1000000,
                                        .reset_address = 0x10000000,
                                        .memories = memories,
                                        .memory_count = 1,
                                        .devices = devices,
                                        .device_count = 2,
                                        .connectors = connectors,
                                        .connector_count = 3};

/* The button's level on the lamps, with a letter on the console for each change. */
static const uint32_t program[] = {
    0x4c010537, /* lui a0, 0x4c010 */
    0x4c0005b7, /* lui a1, 0x4c000 */
    0x00052603, /* lw a2, 0(a0): IN */
    0x40865613, /* srai a2, a2, 8 */
    0xfed60ce3, /* beq a2, a3, the lw */
    0x00c006b3, /* add a3, x0, a2 */
    0x00c52223, /* sw a2, 4(a0): OUT */
    0x07860713, /* addi a4, a2, 'x' */
    0x00e58023, /* sb a4, 0(a1) */
    0xfe5ff06f, /* j the lw */
};

static void trials(void) {
    static const char text[] =
        "trial \"lamp\"\n  power on\n  press button A for 2 ms\n  within 3 ms lamps show 00000001, 00000000 in order\n"
        "  no trap\n\ntrial \"letters\"\n  power on\n  press button A for 1 ms\n  within 2 ms console says \"yx\"\n"
        "  wait 1 ms\n  within 1 ms lamps show 00000001\n";
    struct ta_trials *parsed;
    struct ta_problem why = {0};
    if (ta_trials_parse(text, strlen(text), "staff.trial", NULL, NULL, &parsed, &why)) {
        printf("%s\n", why.what);
        return;
    }
    for (size_t i = 0; i < ta_trials_count(parsed); ++i) {
        struct ta_port port;
        struct ta_recording *recording = NULL;
        if (ta_port_simulate(&board, &port, &why) ||
            port.program(port.self, 0x10000000, program, sizeof program, &why) ||
            ta_trial_check(parsed, i, &board, &why) || ta_trial_run(parsed, i, &port, NULL, NULL, &recording, &why)) {
            printf("%s\n", why.what);
            continue;
        }
        printf("%s: %s, %s, %llu ns\n", recording->trial, recording->passed ? "passed" : "failed",
               recording->failed ? recording->failed->seen : "-", (unsigned long long)recording->time_ns);
        print("trace", recording->trace);
        ta_recording_free(recording);
        port.close(port.self);
    }
    ta_trials_free(parsed);
}

static void models(void) {
    static const char *const versions[] = {"1.0.0", "2.1.0-rc.1", "2.1.0", "10.0.3", "999999.0.0", "1.2", "x"};
    static const char *const ranges[] = {">=2.0 <3", "*", "<=1.4 || >=10", "2.1.0-rc.1", ">1"};
    uint64_t digest = DIGEST_START;
    for (size_t i = 0; i < sizeof versions / sizeof *versions; ++i) {
        struct ta_version version;
        bool good = !ta_version_parse(versions[i], &version, NULL);
        digest = digest_number(digest, good);
        for (size_t k = 0; good && k < sizeof ranges / sizeof *ranges; ++k)
            digest = digest_number(digest, ta_range_contains(ranges[k], &version));
    }
    for (size_t i = 0; ta_quantity_at(i); ++i)
        for (unsigned k = 0; k < 200; ++k) {
            char text[TA_QUANTITY_TEXT_BYTES];
            const struct ta_quantity *quantity = ta_quantity_at(i);
            int64_t back = 0, milli = (int64_t)(any() >> k % 50) * (k % 2 ? 1 : -1);
            ta_quantity_text("", milli, text);
            digest = digest_bytes(digest, text, strlen(text));
            digest = digest_number(digest, ta_quantity_parse(quantity, text, strlen(text), &back));
            digest = digest_number(digest, (uint64_t)back);
        }
    for (unsigned i = 0; i < 2000; ++i) {
        char text[UNIT_TEXT_BYTES];
        digest = digest_bytes(digest, unit_format(text, UNIT_TIME_NS, any() >> i % 64), 4);
    }
    print("models", digest);
}

int main(void) {
    floats();
    boards();
    trials();
    models();
    return 0;
}
