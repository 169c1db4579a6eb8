/* What single things cost a simulated hart: a device's register, a trap, fence.i, and code that fills no cache. */
#include "bench.h"

#include "tameanchor/machine.h"

#include <glib.h>
#include <stdlib.h>
#include <string.h>

enum { RAM = 0x10000000, UART = 0x4c000000, HANDLER = RAM + 0x80000, CODE_BYTES = 0x40000, ROUNDS = 7 };

/* One hart at 1 GHz, so that instructions are nanoseconds of device time. */
static struct ta_machine *board(void) {
    static const struct ta_memory memory = {"ram", TA_MEMORY_RAM, RAM, 1 << 20};
    static const struct ta_device uart = {.name = "uart0", .model = "uart16550", .base = UART};
    static const struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                              .name = "bench",
                                              .isa = "rv32imac_zicsr_zifencei",
                                              .clock_hz = 1000000000,
                                              .reset_address = RAM,
                                              .memories = &memory,
                                              .memory_count = 1,
                                              .devices = &uart,
                                              .device_count = 1};
    struct ta_machine *machine;
    if (ta_machine_new(&profile, NULL, 0, &machine, NULL))
        exit(3);
    ta_machine_power(machine, true);
    return machine;
}

/* Nanoseconds of this computer an instruction, of BYTES of code that is INSTRUCTION again and again, and then a jump to its begin. The
   handler goes on behind what trapped. */
static double cost_ns(uint32_t instruction, size_t bytes) {
    static const uint32_t handler[] = {0x341022f3 /* csrr t0, mepc */, 0x00428293 /* addi t0, t0, 4 */,
                                       0x34129073 /* csrw mepc, t0 */, 0x30200073 /* mret */};
    enum { RUN_NS = 4000000 };
    g_autofree uint32_t *code = g_new(uint32_t, bytes / 4);
    struct ta_machine *machine = board();
    struct ta_event event;
    double best = 1e9;
    for (size_t i = 0; i + 1 < bytes / 4; ++i)
        code[i] = instruction;
    uint32_t back = (uint32_t)(4 - bytes); /* jal zero, back */
    code[bytes / 4 - 1] =
        0x6f | (back >> 20 & 1) << 31 | (back >> 1 & 0x3ff) << 21 | (back >> 11 & 1) << 20 | (back >> 12 & 0xff) << 12;
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

void bench_costs(void) {
    enum { ADDI = 0x00158593, LBU_LSR = 0x00554583, ECALL = 0x00000073, FENCE_I = 0x0000100f };
    double plain = cost_ns(ADDI, 4096), hot = cost_ns(ADDI, 100 << 10);
    row("a register of the serial line", cost_ns(LBU_LSR, 4096), "ns", "the most that it may take", 40, 1);
    /* four instructions are retired for each that traps */
    row("a trap and its return", 4 * cost_ns(ECALL, 4096) - 3 * plain, "ns", "the most that it may take", 80, 1);
    row("fence.i", cost_ns(FENCE_I, 4096), "ns", "the most that it may take", 500, 1);
    row("an instruction of 100 KiB of code", hot, "ns", "one of 4 KiB", plain, 1.3);
}
