/* What a screen costs this computer: a refresh of all of it, a comparison with a picture, a trial that looks at it for ten seconds. */
#include "bench.h"

#include "tameanchor/machine.h"

#include <glib.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

enum { RAM = 0x10000000, SCREEN = 0x50000000, WIDTH = 320, HEIGHT = 240, REDRAWS = 100 };

static double processor_s(void) {
    struct timespec used;
    clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &used);
    return (double)used.tv_sec + (double)used.tv_nsec * 1e-9;
}

/* Refreshes again and again, as fast as they come, from a buffer at RAM + 0x4000; s0 counts them. */
static const uint32_t program[] = {
    0x50000537 /* lui a0, 0x50000 */,  0x00100293 /* li t0, 1 */,        0x00552023 /* sw t0, 0(a0): on */,
    0x10004337 /* lui t1, 0x10004 */,  0x00652423 /* sw t1, 8(a0) */,    0x28000313 /* li t1, 640 */,
    0x00652623 /* sw t1, 12(a0) */,    0x00052823 /* sw zero, 16(a0) */, 0x00f00337 /* lui t1, 0xf00 */,
    0x14030313 /* addi t1, t1, 320 */, 0x00652a23 /* sw t1, 20(a0) */,   0x00000413 /* li s0, 0 */,
    0x00552c23 /* sw t0, 24(a0) */,    0x00452303 /* lw t1, 4(a0) */,    0x00137313 /* andi t1, t1, 1 */,
    0xfe031ce3 /* bnez t1, -8 */,      0x00140413 /* addi s0, s0, 1 */,  0xfedff06f /* j -20 */,
};

static void bench_refresh(void) {
    static const struct ta_memory memory = {"ram", TA_MEMORY_RAM, RAM, 1 << 20};
    static const struct ta_option rate = {"rate", UINT64_C(1000000000000)};
    static const struct ta_device screen = {
        .name = "screen0", .model = "screen", .base = SCREEN, .options = &rate, .option_count = 1};
    static const struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                              .name = "bench",
                                              .isa = "rv32imac_zicsr",
                                              .clock_hz = 1000000000,
                                              .reset_address = RAM,
                                              .memories = &memory,
                                              .memory_count = 1,
                                              .devices = &screen,
                                              .device_count = 1};
    g_autofree uint8_t *noise = g_malloc(WIDTH * HEIGHT * 2);
    struct ta_machine *machine;
    struct ta_event event;
    uint64_t done = 0;
    enum { S0 = 8 };
    for (size_t i = 0; i < WIDTH * HEIGHT * 2; ++i)
        noise[i] = (uint8_t)(i * 37 >> 3);
    if (ta_machine_new(&profile, NULL, 0, &machine, NULL))
        exit(3);
    ta_machine_power(machine, true);
    ta_machine_write(machine, RAM, program, sizeof program); /* this computer is little-endian, like the target */
    ta_machine_write(machine, RAM + 0x4000, noise, WIDTH * HEIGHT * 2);
    double start = processor_s();
    while (done < REDRAWS && !ta_machine_register(machine, 0, S0, &done))
        ta_machine_run(machine, ta_machine_time_ns(machine) + 10000, &event);
    row("a refresh of 320 by 240 points", (processor_s() - start) * 1e3 / (double)done, "ms",
        "the most that it may take", 1, 1);
    ta_machine_free(machine);
}

static void bench_comparison(void) {
    struct ta_picture a, b, difference;
    size_t apart = 0;
    if (ta_picture_make(&a, WIDTH, HEIGHT) || ta_picture_make(&b, WIDTH, HEIGHT) ||
        ta_picture_make(&difference, WIDTH, HEIGHT))
        exit(3);
    for (size_t i = 0; i < WIDTH * HEIGHT * 3; ++i) {
        a.points[i] = (uint8_t)(i * 37 >> 3);
        b.points[i] = (uint8_t)(a.points[i] + (i % 100 ? 7 : 70));
    }
    double start = processor_s();
    for (int i = 0; i < REDRAWS; ++i)
        apart += ta_picture_compare(&a, &b, &difference);
    row("a comparison of two pictures", (processor_s() - start) * 1e3 / REDRAWS, "ms", "the most that it may take", 2,
        1);
    if (!apart)
        exit(3);
    ta_picture_free(&a);
    ta_picture_free(&b);
    ta_picture_free(&difference);
}

/* The gauge moves ten times a second, and the dial with it. What building and opening the project takes is not counted: a trial of one
   millisecond. */
static void bench_trial(const char *folder) {
    enum { ROUNDS = 5 };
    g_autofree char *project = g_build_filename(folder, "gauge-dial", NULL);
    g_autofree char *table = g_build_filename(project, "trials/swell.csv", NULL);
    g_autofree char *trials = g_build_filename(project, "trials/dial.trial", NULL);
    g_autoptr(GString) swell = g_string_new(NULL);
    double whole = 1e9, least = 1e9;
    for (int i = 0; i < 100; ++i)
        g_string_append_printf(swell, "%d.%d,%d.%d\n", i / 10, i % 10, i % 2, i % 10);
    RUN(folder, TANCHOR, "import", "gauge-dial");
    g_file_set_contents(table, swell->str, -1, NULL);
    g_file_set_contents(trials,
                        "trial \"ten seconds\"\n  power on\n  feed gauge from \"swell.csv\"\n  wait 10 s\n  no trap\n"
                        "trial \"an instant\"\n  power on\n  wait 1 ms\n  no trap\n",
                        -1, NULL);
    RUN(project, TANCHOR, "configure");
    RUN(project, TANCHOR, "verify");
    for (int i = 0; i < ROUNDS; ++i) {
        double took = RUN(project, TANCHOR, "verify", "ten seconds"),
               none = RUN(project, TANCHOR, "verify", "an instant");
        whole = took < whole ? took : whole;
        least = none < least ? none : least;
    }
    row("10 s of a screen that is redrawn", whole - least, "s", "the most that it may take", 0.3, 1);
}

void bench_screens(const char *folder) {
    bench_refresh();
    bench_comparison();
    bench_trial(folder);
}
