/* What single things cost a simulated hart: a device's register, a trap, fence.i, and code that fills no cache. */
#include "bench.h"

#include "tameanchor/machine.h"

#include <glib.h>
#include <stdlib.h>
#include <string.h>

enum { RAM = 0x10000000, UART = 0x4c000000, HANDLER = RAM + 0x80000, CODE_BYTES = 0x40000, ROUNDS = 7 };

/* One hart at 1 GHz, so that instructions are nanoseconds of device time. */
static struct ta_machine *board(const char *isa) {
    static const struct ta_memory memory = {"ram", TA_MEMORY_RAM, RAM, 1 << 20};
    static const struct ta_device uart = {.name = "uart0", .model = "uart16550", .base = UART};
    static struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                        .name = "bench",
                                        .clock_hz = 1000000000,
                                        .reset_address = RAM,
                                        .memories = &memory,
                                        .memory_count = 1,
                                        .devices = &uart,
                                        .device_count = 1};
    struct ta_machine *machine;
    profile.isa = isa;
    if (ta_machine_new(&profile, NULL, 0, &machine, NULL))
        exit(3);
    ta_machine_power(machine, true);
    return machine;
}

/* jal zero, over so many BYTES. */
static uint32_t jump_back(uint32_t bytes) {
    uint32_t back = -bytes;
    return 0x6f | (back >> 20 & 1) << 31 | (back >> 1 & 0x3ff) << 21 | (back >> 11 & 1) << 20 |
           (back >> 12 & 0xff) << 12;
}

/* Nanoseconds of this computer an instruction, of BYTES of code that is INSTRUCTION again and again, and then a jump to its begin. The
   handler goes on behind what trapped. */
static double cost_ns(uint32_t instruction, size_t bytes) {
    static const uint32_t handler[] = {0x341022f3 /* csrr t0, mepc */, 0x00428293 /* addi t0, t0, 4 */,
                                       0x34129073 /* csrw mepc, t0 */, 0x30200073 /* mret */};
    enum { RUN_NS = 4000000 };
    g_autofree uint32_t *code = g_new(uint32_t, bytes / 4);
    struct ta_machine *machine = board("rv32imac_zicsr_zifencei");
    struct ta_event event;
    double best = 1e9;
    for (size_t i = 0; i + 1 < bytes / 4; ++i)
        code[i] = instruction;
    code[bytes / 4 - 1] = jump_back((uint32_t)bytes - 4);
    ta_machine_write(machine, RAM, code, bytes);
    ta_machine_write(machine, HANDLER, handler, sizeof handler);
    ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 0x305, HANDLER);
    ta_machine_set_register(machine, 0, 10, UART);
    for (int i = 0; i < ROUNDS; ++i) {
        uint64_t before = ta_machine_retired(machine);
        double start = now_s();
        ta_machine_run(machine, ta_machine_time_ns(machine) + RUN_NS, &event);
        best = MIN(best, (now_s() - start) * 1e9 / (double)(ta_machine_retired(machine) - before));
    }
    ta_machine_free(machine);
    return best;
}

/* Seconds of this computer for sums, differences and products of doubles that come out exact, with FLAGS raised before. */
static double exact_s(struct ta_machine *machine, uint64_t flags) {
    enum { RUN_NS = 2000000 };
    struct ta_event event;
    ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 3, flags);
    double start = now_s();
    ta_machine_run(machine, ta_machine_time_ns(machine) + RUN_NS, &event);
    return now_s() - start;
}

/* Before the first result that is not exact, the hart has to find out that none is. */
static void bench_exact(void) {
    static const uint32_t code[] = {0x0220f1d3 /* fadd.d f3, f1, f2 */, 0x1221f253 /* fmul.d f4, f3, f2 */,
                                    0x0a11f2d3 /* fsub.d f5, f3, f1 */, 0x12527353 /* fmul.d f6, f4, f5 */};
    enum { CODE = 1024 };
    struct ta_machine *machine = board("rv32imafdc_zicsr");
    struct rounds rounds = {.count = ROUNDS};
    uint32_t text[CODE];
    for (size_t i = 0; i + 1 < CODE; ++i)
        text[i] = code[i % G_N_ELEMENTS(code)];
    text[CODE - 1] = jump_back(4 * (CODE - 1));
    ta_machine_write(machine, RAM, text, sizeof text);
    ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 0x300, 0x6000);
    ta_machine_set_register(machine, 0, TA_REGISTER_F + 1, UINT64_C(0x3ff8000000000000)); /* 1.5 */
    ta_machine_set_register(machine, 0, TA_REGISTER_F + 2, UINT64_C(0x4002000000000000)); /* 2.25 */
    exact_s(machine, 0);
    for (size_t i = 0; i < ROUNDS; ++i) {
        rounds.values[i] = exact_s(machine, 0) * 1e3;
        rounds.limits[i] = exact_s(machine, 1) * 1e3;
    }
    row_of_rounds("floating point, none inexact yet", &rounds, "ms", "after an inexact result", 1 / 0.9);
    ta_machine_free(machine);
}

void bench_costs(void) {
    enum { ADDI = 0x00158593, LBU_LSR = 0x00554583, ECALL = 0x00000073, FENCE_I = 0x0000100f };
    double plain = cost_ns(ADDI, 4096), hot = cost_ns(ADDI, 100 << 10);
    row("a register of the serial line", cost_ns(LBU_LSR, 4096), "ns", "the most that it may take", 40, 1);
    /* four instructions are retired for each that traps */
    row("a trap and its return", 4 * cost_ns(ECALL, 4096) - 3 * plain, "ns", "the most that it may take", 80, 1);
    row("fence.i", cost_ns(FENCE_I, 4096), "ns", "the most that it may take", 500, 1);
    row("an instruction of 100 KiB of code", hot, "ns", "one of 4 KiB", plain, 1.3);
    bench_exact();
}
