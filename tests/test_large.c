/* Large random programs on whole boards: more code than a hart's cache of blocks holds, with interrupts at random rates, code that is
   rewritten by itself, by other harts and from outside, snapshots and steps on the way. The fast engine's board is the slow one's after each
   stretch, and at the end byte by byte. */
#include "support.h"

#include "machine/board.h"
#include "tameanchor/snapshot.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum {
    RAM = 0x10000000,
    RAM_BYTES = 8 << 20,
    DATA = RAM + (6 << 20), /* behind the code */
    HANDLER = RAM + (7 << 20),
    ACLINT = 0x02000000,
    HARTS_AT_MOST = 3
};

static const struct ta_memory ram = {"ram", TA_MEMORY_RAM, RAM, RAM_BYTES};
static const struct ta_device devices[] = {
    {.name = "aclint", .model = "aclint", .base = ACLINT, .clock_hz = 10000000},
    {.name = "uart0", .model = "uart16550", .base = 0x03000000},
};
static const struct ta_hart_group narrow[] = {{.name = "narrow"}};
static const struct ta_hart_group wide[] = {{.name = "wide", .isa = "rv64imafdc_zicsr_zifencei_zba_zbb_zbs"}};
static const struct ta_hart_group both[] = {
    {.name = "narrow"},
    {.name = "wide", .count = 2, .isa = "rv64imafdc_zicsr_zifencei_zba_zbb_zbs", .clock_hz = 37000000}};
static const struct {
    const struct ta_hart_group *groups;
    size_t count;
} boards[] = {{narrow, 1}, {wide, 1}, {both, 2}};

static const struct row {
    uint32_t mask, match;
    unsigned format;
} rows[] = {
#define ROW(name, mnemonic, mask, match, format, widths, extensions) {mask, match, FORMAT_##format},
    INSTRUCTION_TABLE(ROW)
#undef ROW
};

/* x8 points to data, x9 to code, x16 to x23 hold instructions; x24 to x31 are the handler's. */
static uint32_t any_instruction(GRand *random, const struct decoder *decoder) {
    static const uint32_t csrs[] = {0x001, 0x002, 0x003, 0xb00, 0xb02, 0xc00, 0xc01, 0xc02, 0x342, 0x343};
    const struct row *row;
    struct op known;
    do {
        row = &rows[g_rand_int_range(random, 0, G_N_ELEMENTS(rows))];
        decode(decoder, row->match, &known);
    } while (known.operation == OP_ILLEGAL || known.operation == OP_WFI || known.operation == OP_MRET);
    uint32_t bits = g_rand_int(random), rd = 1 + bits % 7 + (bits >> 3 & 1 ? 9 : 0), from = 1 + (bits >> 4) % 23;
    uint32_t data = bits >> 9 & 15 ? 8 : from;
    if (g_rand_int_range(random, 0, 60) == 0)
        return bits; /* anything at all */
    bits = (bits & ~(31u << 7 | 31u << 15)) | rd << 7 | from << 15;
    switch (row->format) {
    case FORMAT_I:
    case FORMAT_FI:
        if ((row->match & 0x7f) == 0x67) /* jalr: near the begin of the code, seldom to anywhere */
            bits = (bits & ~(31u << 15)) | (g_rand_int_range(random, 0, 30) ? 31u : from) << 15;
        else if ((row->match & 0x7f) == 0x03 || (row->match & 0x7f) == 0x07)
            bits = (bits & ~(31u << 15) & ~(g_rand_int_range(random, 0, 8) ? 7u << 20 : 0)) | data << 15;
        break;
    case FORMAT_S:
    case FORMAT_FS:
        bits = (bits & ~(31u << 15) & ~(g_rand_int_range(random, 0, 8) ? 7u << 7 : 0)) | data << 15;
        if (g_rand_int_range(random, 0, 4) == 0) /* sw, of an instruction, to code */
            return (bits & (bits >> 20 & 1 ? 0x02000e00 : 0xfe000e00)) | (16u + bits % 8) << 20 | 9u << 15 | 2u << 12 |
                   0x23;
        break;
    case FORMAT_A: bits = (bits & ~(31u << 15)) | 8u << 15; break;
    case FORMAT_B:
        bits = (bits & 0x01fff000) | (uint32_t)g_rand_int_range(random, 1, 15) << 8 |
               (g_rand_int_range(random, 0, 3) ? 0 : 0xfe000080);
        break;
    case FORMAT_J: bits = (bits & 0xfffff000 & ~(1u << 20 | 1u << 21)) | rd << 7; break;
    case FORMAT_CSR:
    case FORMAT_CSRI: bits = (bits & 0x000fffff) | csrs[g_rand_int_range(random, 0, G_N_ELEMENTS(csrs))] << 20; break;
    default: break;
    }
    return (bits & ~row->mask) | row->match;
}

/* One board with its program; its twin, with the slow engine, gets the same. */
struct scene {
    uint32_t seed, code_bytes;
    size_t board;
    const uint8_t *handler;
    gsize handler_bytes;
};

static void put_device(struct ta_machine *machine, uint32_t offset, uint32_t value) {
    ck_assert(hart_store(&machine->harts[0].hart, ACLINT + offset, 4, value));
}

/* All over the code, or in a small part of it, where everybody meets what others have written: the highest place. */
static uint32_t roams_of(const struct scene *scene) {
    return scene->seed % 2 ? scene->code_bytes - 4 : 0x3fc;
}

static struct ta_machine *scene_board(const struct scene *scene, bool slow) {
    const struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                       .name = "large",
                                       .isa = "rv32imafdc_zicsr_zifencei_zba_zbb_zbs",
                                       .clock_hz = 100000000,
                                       .reset_address = RAM,
                                       .hart_groups = boards[scene->board].groups,
                                       .hart_group_count = boards[scene->board].count,
                                       .misaligned = scene->seed % 3 == 0,
                                       .memories = &ram,
                                       .memory_count = 1,
                                       .devices = devices,
                                       .device_count = G_N_ELEMENTS(devices)};
    static struct ta_profile kept[2];
    struct ta_machine *machine;
    struct ta_problem why;
    kept[slow] = profile;
    if (scene->seed % 2)
        kept[slow].timing = (struct ta_timing){1, 2, 3, 20, 2, 4};
    ck_assert_msg(!ta_machine_new(&kept[slow], NULL, 0, &machine, &why), "%s", why.what);
    ta_machine_power(machine, true);
    GRand *random = g_rand_new_with_seed(scene->seed);
    g_autofree uint32_t *code = g_new(uint32_t, scene->code_bytes / 4);
    for (uint32_t i = 0; i < scene->code_bytes / 4; ++i)
        code[i] = any_instruction(random, &machine->harts[machine->hart_count - 1].hart.decoder);
    ck_assert(!ta_machine_write(machine, RAM, code, scene->code_bytes) &&
              !ta_machine_write(machine, HANDLER, scene->handler, scene->handler_bytes));
    for (unsigned h = 0; h < machine->hart_count; ++h) {
        struct hart *hart = &machine->harts[h].hart;
        hart->slow = slow;
        for (unsigned i = 1; i < 24; ++i)
            hart_set_x(hart, i, i < 16 ? g_rand_int(random) : any_instruction(random, &hart->decoder));
        for (unsigned i = 0; i < 32; ++i)
            hart->state.f[i] = (uint64_t)g_rand_int(random) << 32 | g_rand_int(random);
        const uint64_t own[] = {ACLINT + 0x4000 + 8 * h,
                                0,
                                ACLINT + 0xc000,
                                roams_of(scene),
                                (g_rand_int(random) & 0x3ffffc) | 4,
                                0,
                                0,
                                RAM};
        for (unsigned i = 0; i < G_N_ELEMENTS(own); ++i)
            hart_set_x(hart, 24 + i, own[i]);
        hart_set_x(hart, 8, DATA + 0x1000 * h);
        hart_set_x(hart, 9, RAM + 0x800);
        ck_assert(csr_write(hart, 0x305, MODE_MACHINE, HANDLER) &&
                  csr_write(hart, 0x340, MODE_MACHINE, DATA + 0x800 * h) &&
                  csr_write(hart, 0x304, MODE_MACHINE, 0x80) && csr_write(hart, 0x300, MODE_MACHINE, 0x6008));
        put_device(machine, 0x4004 + 8 * h, 0);
        put_device(machine, 0x4000 + 8 * h, 10 + h);
    }
    g_rand_free(random);
    return machine;
}

static void compare(const struct scene *scene, struct ta_machine *fast, struct ta_machine *slow) {
    for (unsigned h = 0; h < fast->hart_count; ++h) {
        const struct hart *a = &fast->harts[h].hart, *b = &slow->harts[h].hart;
        const struct hart_state *x = &a->state, *y = &b->state;
        HOLDS(x->pc == y->pc && x->cycle == y->cycle && x->retired == y->retired && x->mstatus == y->mstatus &&
                  x->mepc == y->mepc && x->mcause == y->mcause && x->mtval == y->mtval && x->mip == y->mip &&
                  x->fcsr == y->fcsr && x->mode == y->mode && x->reserved_address == y->reserved_address,
              "seed %u, hart %u: pc %llx and %llx, cycle %llu and %llu, fcsr %llx and %llx", scene->seed, h,
              (unsigned long long)x->pc, (unsigned long long)y->pc, (unsigned long long)x->cycle,
              (unsigned long long)y->cycle, (unsigned long long)x->fcsr, (unsigned long long)y->fcsr);
        for (unsigned i = 1; i < 32; ++i)
            HOLDS(hart_x(a, i) == hart_x(b, i) && x->f[i] == y->f[i], "seed %u, hart %u, pc %llx: register %u",
                  scene->seed, h, (unsigned long long)x->pc, i);
    }
    HOLDS(ta_machine_trace(fast) == ta_machine_trace(slow), "seed %u: the traces differ", scene->seed);
}

/* A stretch of both, up to UNTIL_NS; the fast one, now and then, by way of a snapshot, of itself or of a fork, or in steps. */
static void go_on(const struct scene *scene, GRand *random, struct ta_machine *fast, struct ta_machine *slow,
                  uint64_t until_ns) {
    struct ta_event event, other;
    struct ta_snapshot *snapshot = NULL;
    if (g_rand_int_range(random, 0, 50) == 0) {
        ck_assert(!ta_machine_save(fast, &snapshot) &&
                  !(g_rand_boolean(random) ? ta_machine_restore : ta_machine_fork)(fast, snapshot, NULL));
    } else if (fast->hart_count == 1 && g_rand_int_range(random, 0, 20) == 0) {
        uint64_t count = (uint64_t)g_rand_int_range(random, 1, 50);
        ta_machine_step(fast, 0, count, &event);
        ta_machine_step(slow, 0, count, &other);
    }
    do {
        ta_machine_run(slow, until_ns, &other);
        ta_machine_run(fast, until_ns, &event);
        HOLDS(event.kind == other.kind && event.time_ns == other.time_ns && event.pc == other.pc &&
                  event.hart == other.hart,
              "seed %u, board %zu, at %llu ns: events %d and %d, pc %llx and %llx, harts %u and %u", scene->seed,
              scene->board, (unsigned long long)event.time_ns, (int)event.kind, (int)other.kind,
              (unsigned long long)event.pc, (unsigned long long)other.pc, event.hart, other.hart);
    } while (event.kind != TA_EVENT_TIME && event.kind != TA_EVENT_STOP);
    if (snapshot) { /* whose pages the fork may still have: it gets its own */
        struct ta_snapshot *last;
        ck_assert(!ta_machine_save(fast, &last) && !ta_machine_restore(fast, last, NULL));
        ta_snapshot_free(last);
    }
    ta_snapshot_free(snapshot);
}

static uint64_t run_scene(const struct scene *scene, unsigned stretches) {
    struct ta_machine *fast = scene_board(scene, false), *slow = scene_board(scene, true);
    GRand *random = g_rand_new_with_seed(scene->seed);
    for (unsigned i = 0; i < stretches && !fast->stopped; ++i) {
        for (int more = g_rand_int_range(random, 0, 16); more > 8; --more) { /* somebody outside writes code, too */
            uint32_t at = RAM + g_rand_int(random) % (roams_of(scene) + 4) / 4 * 4;
            uint32_t bits = any_instruction(random, &fast->harts[fast->hart_count - 1].hart.decoder);
            ck_assert(!ta_machine_write(fast, at, &bits, 4) && !ta_machine_write(slow, at, &bits, 4));
        }
        go_on(scene, random, fast, slow, ta_machine_time_ns(slow) + (uint64_t)g_rand_int_range(random, 10, 100000));
        compare(scene, fast, slow);
    }
    g_autofree uint8_t *ours = g_malloc(RAM_BYTES), *theirs = g_malloc(RAM_BYTES);
    ck_assert(!ta_machine_read(fast, RAM, ours, RAM_BYTES) && !ta_machine_read(slow, RAM, theirs, RAM_BYTES));
    HOLDS(!memcmp(ours, theirs, RAM_BYTES), "seed %u: the memory differs", scene->seed);
    uint64_t retired = ta_machine_retired(fast);
    ta_machine_free(fast);
    ta_machine_free(slow);
    g_rand_free(random);
    return retired;
}

START_TEST(large_programs_are_the_same_by_both_engines) {
    const char *wanted = g_getenv("TANCHOR_TEST_LARGE");
    const char *seed = g_getenv("TANCHOR_TEST_SEED"); /* of the first program, which decides all of it */
    int64_t end_us = g_get_monotonic_time() + (wanted ? atoi(wanted) : 0) * G_TIME_SPAN_SECOND;
    enum { AT_LEAST = 6 };
    g_autofree char *handler = NULL;
    struct scene scene = {.seed = seed ? (uint32_t)atoll(seed) : wanted ? g_random_int() : 1};
    uint64_t retired = 0;
    unsigned run = 0;
    shell("riscv64-unknown-elf-gcc -nostdlib -march=rv32ima_zicsr -mabi=ilp32 -Wl,-e0 -Wl,--build-id=none " FIXTURES
          "/roam.S -o roam.elf 2>/dev/null && riscv64-unknown-elf-objcopy -O binary roam.elf roam.bin");
    ck_assert(g_file_get_contents(test_path("roam.bin"), &handler, &scene.handler_bytes, NULL));
    scene.handler = (const uint8_t *)handler;
    for (; run < AT_LEAST || g_get_monotonic_time() < end_us; ++run, ++scene.seed) {
        scene.board = scene.seed % G_N_ELEMENTS(boards);
        scene.code_bytes = UINT32_C(1) << (20 + scene.seed / 3 % 3); /* 1 to 4 MiB */
        retired += run_scene(&scene, 150);
    }
    printf("# %u programs, %.1f million instructions, the last seed %u\n", run, (double)retired / 1e6, scene.seed - 1);
    ck_assert_uint_gt(retired, 100000 * (uint64_t)run);
}
END_TEST

int main(void) {
    return run_suite("large", (const TTest *const[]){large_programs_are_the_same_by_both_engines, NULL});
}
