/* The harts: each workload of workloads.c, compiled for a board and for this computer by the same compiler's like, user time against
   user time, medians of rounds in turn. */
#include "bench.h"

#include "tameanchor/tameanchor.h"

#include <glib.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { ROUNDS_EACH = 5 };

#ifdef TA_STRICT_DISPATCH
static const double mean_most = 15;
#else
static const double mean_most = 12;
#endif

static const struct {
    const char *name;
    unsigned rounds; /* such that this computer takes some tenths of a second */
    bool wide;       /* RV64 with floating point */
    double most;
} workloads[] = {{"matrix product", 1500, false, 30},          {"CRC-32", 1000, false, 30},
                 {"tree and sort", 1500, false, 30},           {"text state machine", 12000, false, 30},
                 {"copy and fill", 12000, false, 30},          {"FFT, doubles by integers", 500, false, 30},
                 {"FFT, doubles of the hart", 20000, true, 40}};

static void write_profile(const char *folder, const char *name, const char *isa, const char *ram_size) {
    g_autofree char *path = g_build_filename(folder, name, NULL);
    g_autofree char *text = g_strdup_printf("profile: bench\nversion: 1.0.0\ntitle: bench\nkind: board\nisa: "
                                            "%s\nclock: 1 GHz\nreset: 0x80000000\nsemihosting: on\n"
                                            "memory:\n  flash: {kind: flash, base: 0x80000000, size: 1 MiB}\n  ram: "
                                            "{kind: ram, base: 0x90000000, size: %s}\n",
                                            isa, ram_size);
    g_file_set_contents(path, text, -1, NULL);
}

static void compile_both(const char *folder, unsigned which) {
    bool wide = workloads[which].wide;
    g_autofree char *script =
        g_strdup_printf("flags='-O2 -std=c11 -ffp-contract=off -fno-tree-loop-distribute-patterns -I%s/src "
                        "-I%s/include -DWORKLOAD=%u -DROUNDS=%u' && "
                        "cc $flags %s/benchmarks/workloads.c -o native && riscv64-unknown-elf-gcc "
                        "--specs=picolibc.specs --crt0=semihost -march=%s -mabi=%s "
                        "-mcmodel=medany $flags "
                        "-Wl,--defsym=__flash=0x80000000,--defsym=__flash_size=0x100000,--defsym=__ram=0x90000000 "
                        "-Wl,--defsym=__ram_size=0x100000 %s/benchmarks/workloads.c -o guest.elf -Wl,--start-group -lc "
                        "-lsemihost -lgcc -Wl,--end-group",
                        SOURCES, SOURCES, which, workloads[which].rounds, SOURCES, wide ? "rv64imafdc" : "rv32imac",
                        wide ? "lp64d" : "ilp32", SOURCES);
    RUN(folder, "sh", "-c", script);
}

static void bench_workloads(const char *folder) {
    double logarithms = 0;
    unsigned counted = 0;
    for (unsigned i = 0; i < G_N_ELEMENTS(workloads); ++i) {
        double native[ROUNDS_EACH], guest[ROUNDS_EACH];
        const char *profile = workloads[i].wide ? "wide.yaml" : "narrow.yaml";
        g_autofree char *same =
            g_strdup_printf("./native > here && " TANCHOR " -q run guest.elf --profile %s --for 1000s > there && "
                            "cmp here there",
                            profile);
        compile_both(folder, i);
        RUN(folder, "sh", "-c", same);
        for (int k = 0; k < ROUNDS_EACH; ++k) {
            struct used used;
            run(folder, &used, (const char *const[]){"./native", NULL});
            native[k] = used.user_s;
            run(folder, &used,
                (const char *const[]){TANCHOR, "run", "guest.elf", "--profile", profile, "--for", "1000s", NULL});
            guest[k] = used.user_s;
        }
        double here = median(native, ROUNDS_EACH), there = median(guest, ROUNDS_EACH);
        row(workloads[i].name, there, "s", "the same source on this computer", here, workloads[i].most);
        if (!workloads[i].wide) {
            logarithms += log(there / here);
            ++counted;
        }
    }
    double mean = exp(logarithms / counted);
    over_limit += mean > mean_most;
    printf("geometric mean %.1f x  limit %.1f  %s\n", mean, mean_most, mean > mean_most ? "OVER" : "ok");
}

/* From a process's start to the end of a program of few instructions; what a board takes that nothing has touched. */
static void bench_start(const char *folder) {
    const char *const command[] = {TANCHOR, "run", "first.elf", "--profile", "narrow.yaml", "--for", "1ms", NULL};
    double started = 1e9, nothing = 1e9;
    struct used used;
    RUN(folder, "sh", "-c",
        "printf '.globl _start; .option norvc; _start: li a0, 0x18; li a1, 0x20026; slli x0, x0, 0x1f; ebreak; srai "
        "x0, x0, 7\\n' > first.S && "
        "riscv64-unknown-elf-gcc -nostdlib -march=rv32imac -mabi=ilp32 -Wl,-N,-Ttext=0x80000000 first.S -o first.elf");
    for (int i = 0; i < 20; ++i) {
        double took = run(folder, &used, command), true_took = RUN(folder, "true");
        started = took < started ? took : started;
        nothing = true_took < nothing ? true_took : nothing;
    }
    row("start to the first instruction", (started - nothing) * 1e3, "ms", "over /bin/true", 5, 1);
    row("a small board", used.memory_mib, "MiB", "the most that it may take", 12, 1);
    run(folder, &used,
        (const char *const[]){TANCHOR, "run", "first.elf", "--profile", "large.yaml", "--for", "1ms", NULL});
    row("256 MiB of RAM, untouched", used.memory_mib, "MiB", "the most that it may take", 20, 1);
}

/* As large as dunlin, all of it touched, with a program that stores in a loop. */
static struct ta_machine *small_board(unsigned harts, uint64_t clock_hz) {
    static const struct ta_memory memories[] = {{"flash", TA_MEMORY_FLASH, 0x400000, 256 << 10},
                                                {"ram", TA_MEMORY_RAM, 0x10000000, 64 << 10}};
    static const struct ta_device uart = {.name = "uart0", .model = "uart16550", .base = 0x4c000000};
    static struct ta_hart_group group = {.name = "harts"};
    static struct ta_profile profile = {.name = "bench",
                                        .struct_version = TA_PROFILE_VERSION,
                                        .isa = "rv32imac_zicsr",
                                        .clock_hz = 1000000000,
                                        .reset_address = 0x10000000,
                                        .memories = memories,
                                        .memory_count = 2,
                                        .devices = &uart,
                                        .device_count = 1,
                                        .hart_groups = &group,
                                        .hart_group_count = 1};
    static const uint32_t program[] = {0x10001537 /* lui a0, 0x10001 */, 0xf1402673 /* csrr a2, mhartid */,
                                       0x00661613 /* slli a2, a2, 6 */,  0x00c50533 /* add a0, a0, a2 */,
                                       0x00052583 /* lw a1, 0(a0) */,    0x00158593 /* addi a1, a1, 1 */,
                                       0x00b52023 /* sw a1, 0(a0) */,    0xff5ff06f /* j -12 */};
    g_autofree uint8_t *noise = g_malloc(256 << 10);
    struct ta_machine *machine;
    memset(noise, 7, 256 << 10);
    group.count = harts;
    profile.clock_hz = clock_hz;
    if (ta_machine_new(&profile, NULL, 0, &machine, NULL))
        exit(3);
    ta_machine_power(machine, true);
    ta_machine_write(machine, 0x400000, noise, 256 << 10);
    ta_machine_write(machine, 0x10000000, noise, 64 << 10);
    ta_machine_write(machine, 0x10000000, program,
                     sizeof program); /* this computer is little-endian, like the target */
    return machine;
}

static double run_for(struct ta_machine *machine, uint64_t ns) {
    struct ta_event event;
    double start = now_s();
    ta_machine_run(machine, ta_machine_time_ns(machine) + ns, &event);
    return now_s() - start;
}

static void bench_snapshots(void) {
    enum { TIMES = 50, FORKS = 1000 };
    struct ta_machine *machine = small_board(1, 32000000);
    struct ta_snapshot *snapshot;
    double saved = 1e9, restored = 1e9, start;
    for (int i = 0; i < TIMES; ++i) {
        run_for(machine, 10000);
        start = now_s();
        if (ta_machine_save(machine, &snapshot))
            exit(3);
        saved = MIN(saved, now_s() - start);
        run_for(machine, 10000);
        start = now_s();
        if (ta_machine_restore(machine, snapshot, NULL))
            exit(3);
        restored = MIN(restored, now_s() - start);
        ta_snapshot_free(snapshot);
    }
    row("snapshot of a board like dunlin", saved * 1e6, "us", "the most that it may take", 200, 1);
    row("its restore", restored * 1e6, "us", "the most that it may take", 200, 1);
    if (ta_machine_save(machine, &snapshot))
        exit(3);
    start = now_s();
    for (int i = 0; i < FORKS; ++i) {
        struct ta_machine *fork = small_board(1, 32000000);
        if (ta_machine_fork(fork, snapshot, NULL))
            exit(3);
        run_for(fork, 1000000);
        ta_machine_free(fork);
    }
    row("1,000 forks, a millisecond each", now_s() - start, "s", "the most that it may take", 1, 1);
    ta_snapshot_free(snapshot);
    ta_machine_free(machine);
}

/* Four busy harts do as many instructions a second together as one alone, nearly. */
static void bench_turns(void) {
    struct ta_machine *one = small_board(1, 1000000000), *four = small_board(4, 1000000000);
    double alone = 1e9, together = 1e9;
    for (int i = 0; i < 5; ++i) {
        alone = MIN(alone, run_for(one, 40000000));
        together = MIN(together, run_for(four, 10000000));
    }
    row("four busy harts", together * 1e3, "ms", "as many instructions of one", alone * 1e3, 1.25);
    ta_machine_free(one);
    ta_machine_free(four);
}

void bench_harts(const char *folder) {
    write_profile(folder, "narrow.yaml", "rv32imac_zicsr", "1 MiB");
    write_profile(folder, "wide.yaml", "rv64imafdc", "1 MiB");
    write_profile(folder, "large.yaml", "rv32imac_zicsr", "256 MiB");
    bench_start(folder);
    bench_snapshots();
    bench_turns();
    bench_costs();
    bench_workloads(folder);
}
