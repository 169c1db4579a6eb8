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

static const struct {
    const char *name;
    unsigned rounds; /* such that this computer takes some tenths of a second */
    bool wide;       /* RV64 with floating point */
    double most;
} workloads[] = {{"matrix product", 1500, false, 30},          {"CRC-32", 1000, false, 30},
                 {"tree and sort", 1500, false, 30},           {"text state machine", 12000, false, 30},
                 {"copy and fill", 12000, false, 30},          {"FFT, doubles by integers", 500, false, 30},
                 {"FFT, doubles of the hart", 20000, true, 40}};

static int by_size(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return x < y ? -1 : x > y;
}

static double median(double *values) {
    qsort(values, ROUNDS_EACH, sizeof *values, by_size);
    return values[ROUNDS_EACH / 2];
}

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
        double here = median(native), there = median(guest);
        row(workloads[i].name, there, "s", "the same source on this computer", here, workloads[i].most);
        if (!workloads[i].wide) {
            logarithms += log(there / here);
            ++counted;
        }
    }
    double mean = exp(logarithms / counted);
    over_limit += mean > 12;
    printf("geometric mean %.1f x  limit 12.0  %s\n", mean, mean > 12 ? "OVER" : "ok");
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

void bench_harts(const char *folder) {
    write_profile(folder, "narrow.yaml", "rv32imac_zicsr", "1 MiB");
    write_profile(folder, "wide.yaml", "rv64imafdc", "1 MiB");
    write_profile(folder, "large.yaml", "rv32imac_zicsr", "256 MiB");
    bench_start(folder);
    bench_workloads(folder);
}
