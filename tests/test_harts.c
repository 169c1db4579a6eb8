/* Boards of several harts: turns, atomics and interrupts between them, widths and clocks that differ, and what a profile may ask
   for. */
#include "support.h"

#include "base/digest.h"
#include "machine/board.h"

#include <string.h>

enum { FLASH = 0x18000000, SHARED = 0x60001000 };

static const struct ta_memory memories[] = {{"flash", TA_MEMORY_FLASH, FLASH, 0x4000},
                                            {"shared", TA_MEMORY_RAM, 0x60000000, 0x10000}};
static const struct ta_device devices[] = {
    {.name = "aclint", .model = "aclint", .base = 0x48000000, .clock_hz = 1000000},
    {.name = "exit0", .model = "exit-register", .base = 0x4c020000}};
static const struct ta_hart_group groups[] = {{.name = "keeper"},
                                              {.name = "workers",
                                               .count = 2,
                                               .isa = "rv64imafdc_zicsr",
                                               .clock_hz = 450000000,
                                               .reset_address = 0x60000000,
                                               .held = true}};
static const struct ta_profile board = {.name = "many",
                                        .version = "1.0.0",
                                        .struct_version = TA_PROFILE_VERSION,
                                        .isa = "rv32imac_zicsr",
                                        .hart_groups = groups,
                                        .hart_group_count = 2,
                                        .clock_hz = 72000000,
                                        .reset_address = FLASH,
                                        .memories = memories,
                                        .memory_count = 2,
                                        .devices = devices,
                                        .device_count = 2};

/* Assembles a source to the bytes that stand at ADDRESS, and loads them. */
static void load(struct ta_machine *machine, const char *source, const char *march, const char *mabi,
                 uint32_t address) {
    g_autofree char *making = g_strdup_printf(
        "riscv64-unknown-elf-gcc -nostdlib -march=%s -mabi=%s -Wl,-Ttext=0x%x -Wl,--build-id=none %s -o part.elf "
        "2>/dev/null && riscv64-unknown-elf-objcopy -O binary part.elf part.bin",
        march, mabi, address, source);
    char *bytes;
    gsize length;
    shell(making);
    ck_assert(g_file_get_contents(test_path("part.bin"), &bytes, &length, NULL));
    ck_assert_int_eq(ta_machine_write(machine, address, bytes, length), TA_OK);
    g_free(bytes);
}

static struct ta_machine *power_on(const struct ta_profile *profile) {
    struct ta_machine *machine;
    struct ta_problem why;
    ck_assert_msg(!ta_machine_new(profile, NULL, 0, &machine, &why), "%s", why.what);
    ta_machine_power(machine, true);
    load(machine, FIXTURES "/keeper.S", "rv32imac_zicsr", "ilp32", FLASH);
    load(machine, FIXTURES "/worker.S", "rv64imac_zicsr", "lp64", 0x60000000);
    return machine;
}

static uint64_t word_at(struct ta_machine *machine, uint32_t address, size_t size) {
    uint8_t bytes[8] = {0};
    uint64_t value = 0;
    ck_assert_int_eq(ta_machine_read(machine, address, bytes, size), TA_OK);
    for (size_t i = 0; i < size; ++i)
        value |= (uint64_t)bytes[i] << (8 * i);
    return value;
}

/* Runs to the end in pieces of PIECE_NS; how it ended. */
static struct ta_event run_in_pieces(struct ta_machine *machine, uint64_t piece_ns) {
    struct ta_event event = {.kind = TA_EVENT_TIME};
    for (uint64_t until = piece_ns; event.kind == TA_EVENT_TIME && until <= 1000000000; until += piece_ns)
        do
            ta_machine_run(machine, until, &event);
        while (event.kind != TA_EVENT_TIME && event.kind != TA_EVENT_STOP);
    return event;
}

START_TEST(harts_of_two_widths_count_together) {
    uint64_t traces[3];
    static const uint64_t pieces_ns[] = {1000000000, 1000, 37777};
    for (size_t i = 0; i < G_N_ELEMENTS(pieces_ns); ++i) {
        struct ta_machine *machine = power_on(&board);
        struct ta_event event = run_in_pieces(machine, pieces_ns[i]);
        ck_assert_msg(event.kind == TA_EVENT_STOP && event.stop == TA_STOP_ENDED && event.code == 7 && event.hart == 0,
                      "%u: stop %u", event.kind, event.stop);
        ck_assert_uint_eq(word_at(machine, SHARED, 4), 3000);     /* by amoadd */
        ck_assert_uint_eq(word_at(machine, SHARED + 4, 4), 3000); /* by lr and sc, none lost */
        ck_assert_uint_eq(word_at(machine, SHARED + 16, 8), UINT64_C(1) << 40);
        ck_assert_uint_eq(word_at(machine, SHARED + 24, 8), UINT64_C(2) << 40);
        traces[i] = ta_machine_trace(machine);
        ta_machine_free(machine);
    }
    ck_assert(traces[0] == traces[1] && traces[0] == traces[2]); /* however it is cut in pieces */
}
END_TEST

START_TEST(a_held_hart_waits_for_its_release) {
    struct ta_machine *machine = power_on(&board);
    struct ta_event event;
    const uint8_t here[] = {0x6f, 0, 0, 0};
    ck_assert_int_eq(ta_machine_write(machine, FLASH, here, 4), TA_OK); /* a keeper that does nothing */
    ta_machine_run(machine, 1000000, &event);
    uint64_t pc, retired = ta_machine_retired(machine);
    ck_assert(!ta_machine_register(machine, 2, TA_REGISTER_PC, &pc) && pc == 0x60000000);
    ck_assert_uint_eq(retired, 72000); /* all the keeper's */
    ck_assert_int_eq(ta_machine_register(machine, 3, TA_REGISTER_PC, &pc), TA_E_INPUT);
    ta_machine_free(machine);
}
END_TEST

static struct ta_snapshot *save(const struct ta_machine *machine) {
    struct ta_snapshot *snapshot;
    ck_assert_int_eq(ta_machine_save(machine, &snapshot), TA_OK);
    return snapshot;
}

/* The digest of a run that a debugger looks into is that of the run that nobody looks into: whatever it sets, however it steps. */
START_TEST(a_debugger_leaves_no_trace) {
    enum { END_NS = 3000000 };
    struct ta_event event;
    uint64_t traces[5];
    for (unsigned way = 0; way < G_N_ELEMENTS(traces); ++way) {
        struct ta_machine *machine = power_on(&board);
        GRand *random = g_rand_new_with_seed(way);
        unsigned looked = 0;
        if (way == 1)
            ck_assert_int_eq(ta_machine_set_breakpoint(machine, 0x60000008, true), TA_OK);
        if (way == 2)
            ck_assert_int_eq(ta_machine_set_watchpoint(machine, SHARED, 64, TA_ACCESS_READ | TA_ACCESS_WRITE), TA_OK);
        while (way > 2 && ta_machine_time_ns(machine) < END_NS / 2 && !ta_machine_stopped(machine)) {
            unsigned hart = way == 3 ? 1 : (unsigned)g_rand_int_range(random, 0, 3);
            ta_machine_step(machine, hart, way == 3 ? 1 : (uint64_t)g_rand_int_range(random, 1, 100), &event);
            ++looked;
        }
        do {
            ta_machine_run(machine, END_NS, &event);
            looked += event.kind == TA_EVENT_BREAKPOINT || event.kind == TA_EVENT_WATCHPOINT;
        } while (event.kind != TA_EVENT_TIME);
        HOLDS(!way || looked > 1, "way %u: it looked %u times", way, looked);
        traces[way] = ta_machine_trace(machine);
        HOLDS(traces[way] == traces[0], "way %u", way);
        g_rand_free(random);
        ta_machine_free(machine);
    }
}
END_TEST

/* The same where the first hart sets its timer near and then far, so that turns end early, and the other sees how far it has come. */
START_TEST(stops_in_the_middle_of_a_turn_change_no_order) {
    static const char source[] =
        "lui s0, 0x60001\n lui s3, 0x48004\n lui s4, 0x4800c\n csrr t0, mhartid\n beqz t0, far\n"
        "look: lw a0, 0(s0)\n slli t1, s1, 5\n add s1, s1, t1\n add s1, s1, a0\n sw s1, 4(s0)\n j look\n"
        "far: sw x0, 12(s3)\n"
        "again: addi s2, s2, 1\n sw s2, 0(s0)\n lw t1, -8(s4)\n addi t1, t1, 2\n sw t1, 8(s3)\n"
        "li t1, -1\n sw t1, 8(s3)\n nop\n nop\n j again\n";
    static const struct ta_hart_group pair[] = {{.name = "pair", .count = 2}};
    struct ta_profile profile = board;
    uint64_t traces[3], seen[3];
    profile.hart_groups = pair;
    profile.hart_group_count = 1;
    write_text(test_path("turns.S"), source);
    for (unsigned stops = 0; stops < 3; ++stops) {
        struct ta_machine *machine;
        struct ta_event event;
        unsigned breaks = 0;
        ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, NULL), TA_OK);
        ta_machine_power(machine, true);
        load(machine, test_path("turns.S"), "rv32imac_zicsr", "ilp32", FLASH);
        for (uint32_t at = FLASH + 40; stops && at < FLASH + 70; at += 2)
            ck_assert_int_eq(ta_machine_set_breakpoint(machine, at, true), TA_OK);
        do {
            ta_machine_run(machine, 1000000, &event);
            breaks += event.kind == TA_EVENT_BREAKPOINT;
            if (stops == 2 && event.kind == TA_EVENT_BREAKPOINT && breaks % 16 == 0) { /* and goes on from a snapshot */
                struct ta_snapshot *snapshot = save(machine);
                ck_assert_int_eq(ta_machine_restore(machine, snapshot, NULL), TA_OK);
                ta_snapshot_free(snapshot);
            }
        } while (event.kind != TA_EVENT_TIME);
        ck_assert(!stops || breaks > 1000);
        traces[stops] = ta_machine_trace(machine);
        seen[stops] = word_at(machine, SHARED + 4, 4);
        ta_machine_free(machine);
    }
    for (unsigned stops = 1; stops < 3; ++stops)
        HOLDS(seen[0] && seen[0] == seen[stops] && traces[0] == traces[stops], "way %u", stops);
}
END_TEST

START_TEST(events_and_steps_name_their_hart) {
    struct ta_machine *machine = power_on(&board);
    struct ta_event event;
    uint64_t pc;
    ck_assert_int_eq(ta_machine_set_breakpoint(machine, 0x60000000 + 4, true), TA_OK);
    ta_machine_run(machine, 1000000, &event);
    ck_assert(event.kind == TA_EVENT_BREAKPOINT && event.hart == 1 && event.pc == 0x60000004);
    ck_assert_int_eq(ta_machine_set_breakpoint(machine, 0x60000000 + 4, false), TA_OK);
    ta_machine_step(machine, 1, 1, &event);
    ck_assert(event.kind == TA_EVENT_TIME && !ta_machine_register(machine, 1, TA_REGISTER_PC, &pc) && pc > 0x60000004 &&
              pc <= 0x60000008);
    ck_assert_int_eq(ta_machine_set_watchpoint(machine, SHARED + 24, 8, TA_ACCESS_WRITE), TA_OK);
    do
        ta_machine_run(machine, 100000000, &event);
    while (event.kind != TA_EVENT_WATCHPOINT && event.kind != TA_EVENT_TIME);
    ck_assert(event.kind == TA_EVENT_WATCHPOINT && event.hart == 2 && event.value == SHARED + 24);
    ta_machine_free(machine);
}
END_TEST

/* Device time goes on with the hart's own clock: a worker of 450 MHz does 450 steps in a microsecond, the keeper 72. */
/* A store ends the reservations of what it writes, and no others of that page. */
START_TEST(reservations_end_each_by_itself) {
    static const struct ta_hart_group three[] = {{.name = "harts", .count = 3, .reset_address = 0x60000000}};
    static const uint32_t code[] = {0x100525af /* lr.w a1, (a0) */, 0x18c526af /* sc.w a3, a2, (a0) */,
                                    0x00c52023 /* sw a2, 0(a0) */};
    enum { FIRST = SHARED + 0x40, SECOND = SHARED + 0x80 };
    struct ta_profile profile = board;
    struct ta_machine *machine;
    struct ta_event event;
    uint64_t failed;
    profile.hart_groups = three;
    profile.hart_group_count = 1;
    ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, NULL), TA_OK);
    ta_machine_power(machine, true);
    ck_assert_int_eq(ta_machine_write(machine, 0x60000000, code, sizeof code), TA_OK);
    struct {
        unsigned hart;
        uint32_t pc, address;
    } const steps[] = {
        {1, 0, FIRST},  {2, 0, SECOND},                                                /* both reserve */
        {0, 8, FIRST},  {1, 4, FIRST},                                                 /* the first loses it */
        {2, 4, SECOND},                                                                /* the second does not */
        {1, 0, FIRST},  {2, 0, SECOND}, {0, 8, FIRST}, {0, 8, SECOND}, {2, 4, SECOND}, /* unless it is written, too */
        {1, 0, FIRST},  {1, 8, FIRST},  {1, 4, FIRST}, /* a hart's own store ends none */
    };
    static const int expected[] = {-1, -1, -1, 1, 0, -1, -1, -1, -1, 1, -1, -1, 0};
    for (size_t i = 0; i < G_N_ELEMENTS(steps); ++i) {
        for (unsigned hart = 0; hart < 3; ++hart) { /* the others stay where they are */
            machine->harts[hart].hart.state.held = hart != steps[i].hart;
            machine->harts[hart].hart.attention = true;
        }
        ta_machine_set_register(machine, steps[i].hart, 10, steps[i].address);
        ta_machine_set_register(machine, steps[i].hart, 12, 99);
        ta_machine_set_register(machine, steps[i].hart, TA_REGISTER_PC, 0x60000000 + steps[i].pc);
        ta_machine_step(machine, steps[i].hart, 1, &event);
        ck_assert_int_eq(ta_machine_register(machine, steps[i].hart, 13, &failed), TA_OK);
        HOLDS(expected[i] < 0 || failed == (uint64_t)expected[i], "step %zu: sc gives %llu", i,
              (unsigned long long)failed);
    }
    ta_machine_free(machine);
}
END_TEST

START_TEST(every_hart_has_its_clock) {
    static const struct ta_hart_group free_groups[] = {{.name = "slow"}, {.name = "fast", .clock_hz = 450000000}};
    struct ta_profile profile = board;
    profile.hart_groups = free_groups;
    struct ta_machine *machine;
    struct ta_event event;
    const uint8_t here[] = {0x6f, 0, 0, 0};
    uint64_t slow, fast;
    ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, NULL), TA_OK);
    ta_machine_power(machine, true);
    ck_assert_int_eq(ta_machine_write(machine, FLASH, here, 4), TA_OK);
    ta_machine_run(machine, 1000000, &event);
    ck_assert(!ta_machine_register(machine, 0, TA_REGISTER_CSR + 0xb00, &slow) &&
              !ta_machine_register(machine, 1, TA_REGISTER_CSR + 0xb00, &fast));
    ck_assert_uint_eq(slow, 72000);
    ck_assert_uint_eq(fast, 450000);
    ck_assert_uint_eq(ta_machine_time_ns(machine), 1000000);
    ta_machine_free(machine);
}
END_TEST

/* Snapshots. */

static struct ta_snapshot *through_bytes(struct ta_snapshot *snapshot) {
    struct ta_snapshot *copy;
    struct ta_problem why;
    size_t length;
    const void *bytes = ta_snapshot_bytes(snapshot, &length);
    ck_assert_msg(!ta_snapshot_read(bytes, length, &copy, &why), "%s", why.what);
    ta_snapshot_free(snapshot);
    return copy;
}

static uint64_t trace_at_the_end(struct ta_machine *machine) {
    run_in_pieces(machine, 1000000000);
    return ta_machine_trace(machine);
}

/* Saved at any moment, and restored on another machine, by way of bytes, or on the one that has gone on: the rest is the same. */
START_TEST(what_is_restored_goes_on_as_what_was_saved) {
    struct ta_machine *machine = power_on(&board), *other;
    struct ta_event event;
    uint64_t expected = trace_at_the_end(machine);
    ta_machine_power(machine, false);
    ck_assert_int_eq(ta_machine_new(&board, NULL, 0, &other, NULL), TA_OK);
    for (uint64_t at = 0; at < 120000; at += 7919) {
        ta_machine_power(machine, true);
        load(machine, FIXTURES "/worker.S", "rv64imac_zicsr", "lp64", 0x60000000);
        ta_machine_step(machine, (unsigned)(at % 3), at / 40, &event);
        struct ta_snapshot *snapshot = through_bytes(save(machine));
        ck_assert_int_eq(ta_machine_restore(other, snapshot, NULL), TA_OK);
        ck_assert(ta_machine_trace(other) == ta_machine_trace(machine) &&
                  ta_machine_time_ns(other) == ta_machine_time_ns(machine));
        uint64_t ours = trace_at_the_end(machine);
        ck_assert_uint_eq(trace_at_the_end(other), ours);
        ck_assert_int_eq(ta_machine_restore(machine, snapshot, NULL), TA_OK);
        ck_assert_uint_eq(trace_at_the_end(machine), ours);
        ck_assert_uint_eq(word_at(machine, SHARED + 4, 4), 3000);
        ta_snapshot_free(snapshot);
    }
    ck_assert_uint_ne(expected, 0);
    ta_machine_free(machine);
    ta_machine_free(other);
}
END_TEST

/* A board with a console and lamps, with what was typed and not yet taken, and events that nobody has asked for. */
static size_t lent_pages(const struct ta_machine *machine) {
    size_t count = 0;
    for (size_t i = 0; i < machine->bus.count; ++i)
        count += machine->bus.regions[i].lent_count;
    return count;
}

/* A fork copies what it reaches, and nothing else; beside that it is a restored machine, and leaves what it was forked from alone. */
START_TEST(forks_copy_what_they_reach) {
    static const uint8_t noise[0x6000] = {[0x5fff] = 0xaa};
    struct ta_machine *machine = power_on(&board), *forked, *restored;
    struct ta_event event;
    uint8_t byte;
    ck_assert_int_eq(ta_machine_write(machine, 0x60008000, noise, sizeof noise), TA_OK);
    ta_machine_run(machine, 50000, &event);
    struct ta_snapshot *snapshot = save(machine), *again;
    size_t length, again_length;
    g_autofree uint8_t *before = g_memdup2(ta_snapshot_bytes(snapshot, &length), ta_snapshot_size(snapshot));
    ck_assert_int_eq(ta_machine_new(&board, NULL, 0, &forked, NULL), TA_OK);
    ck_assert_int_eq(ta_machine_new(&board, NULL, 0, &restored, NULL), TA_OK);
    for (int round = 0; round < 3; ++round) {
        ck_assert_int_eq(ta_machine_restore(restored, snapshot, NULL), TA_OK);
        ck_assert_int_eq(ta_machine_fork(forked, snapshot, NULL), TA_OK);
        size_t all = lent_pages(forked);
        ck_assert_uint_ge(all, 8);
        again = save(forked); /* a fork of which nothing was reached is saved as what it was forked from */
        ck_assert_mem_eq(ta_snapshot_bytes(again, &again_length), before, length);
        ck_assert_uint_eq(length, again_length);
        ta_snapshot_free(again);
        for (int i = 0; i < 50; ++i) {
            ta_machine_run(restored, ta_machine_time_ns(restored) + 50000, &event);
            ta_machine_run(forked, ta_machine_time_ns(forked) + 50000, &event);
            ck_assert(ta_machine_trace(restored) == ta_machine_trace(forked));
        }
        ck_assert_uint_gt(all, lent_pages(forked)); /* some were reached, the noise was not */
        ck_assert_uint_ge(lent_pages(forked), 6);
        ck_assert(!ta_machine_read(forked, 0x6000dfff, &byte, 1) && byte == 0xaa);
        ck_assert(!ta_machine_read(forked, 0x60008123, &byte, 1) && byte == 0);
        ck_assert_mem_eq(ta_snapshot_bytes(snapshot, &length), before, length);
    }
    ck_assert_int_eq(ta_machine_fork(forked, snapshot, NULL), TA_OK);
    ta_machine_power(forked, true); /* RAM is blank then, flash is not */
    ck_assert_uint_eq(lent_pages(forked), 0);
    ck_assert(!ta_machine_read(forked, 0x6000dfff, &byte, 1) && byte == 0);
    ta_snapshot_free(snapshot);
    ck_assert(!ta_machine_read(forked, FLASH, &byte, 1) && byte != 0xff);
    ta_machine_free(machine);
    ta_machine_free(forked);
    ta_machine_free(restored);
}
END_TEST

START_TEST(a_snapshot_holds_devices_input_and_events) {
    struct ta_machine *machine, *other;
    struct ta_event event;
    struct ta_problem why;
    ck_assert_int_eq(ta_machine_new(dunlin(), NULL, 0, &machine, NULL), TA_OK);
    ck_assert_int_eq(ta_machine_new(dunlin(), NULL, 0, &other, NULL), TA_OK);
    ta_machine_power(machine, true);
    const uint8_t here[] = {0x6f, 0, 0, 0};
    ck_assert_int_eq(ta_machine_write(machine, dunlin()->reset_address, here, 4), TA_OK);
    ck_assert(!ta_machine_set_command_line(machine, "log -n 3") && !ta_machine_set_command_line(other, "another"));
    ck_assert(!ta_machine_type(machine, "typed", 5, false) && !ta_machine_set_input(machine, "button A", 1, NULL));
    struct ta_snapshot *snapshot = save(machine);
    ck_assert_int_eq(ta_machine_restore(other, snapshot, NULL), TA_OK); /* which was never on before */
    ck_assert_str_eq(other->semihosting.command_line, "log -n 3");
    ta_machine_run(other, 1000, &event);
    ck_assert(event.kind == TA_EVENT_INPUT && event.value == 1 && !strcmp(event.name, "button A"));
    ta_machine_run(other, 5000, &event);
    ta_machine_run(machine, 1000, &event);
    ta_machine_run(machine, 5000, &event);
    ck_assert_uint_eq(ta_machine_trace(other), ta_machine_trace(machine));
    uint64_t ours, theirs; /* the time, which a device provides */
    ck_assert(!ta_machine_register(machine, 0, TA_REGISTER_CSR + 0xc01, &ours) &&
              !ta_machine_register(other, 0, TA_REGISTER_CSR + 0xc01, &theirs));
    ck_assert_uint_eq(theirs, ours);
    uint64_t retired = ta_machine_retired(machine);
    ta_machine_step(machine, 1, 5, &event); /* there is no hart 1 */
    ck_assert(event.kind == TA_EVENT_TIME && ta_machine_retired(machine) == retired);
    ta_snapshot_free(snapshot);

    /* Another profile's is refused, and changes nothing. */
    struct ta_machine *many = power_on(&board);
    uint64_t before = ta_machine_trace(machine);
    snapshot = save(many);
    ck_assert_int_eq(ta_machine_restore(machine, snapshot, &why), TA_E_INPUT);
    ck_assert_msg(strstr(why.what, "is not one of dunlin") && ta_machine_trace(machine) == before, "%s", why.what);
    ta_snapshot_free(snapshot);
    ta_machine_free(many);
    ta_machine_free(machine);
    ta_machine_free(other);
}
END_TEST

/* What was cut off or altered is refused; what was altered by somebody who knows the digest is refused or runs, and hurts nobody. */
START_TEST(altered_snapshots_hurt_nobody) {
    struct ta_machine *machine = power_on(&board), *other;
    struct ta_snapshot *snapshot = save(machine), *read;
    struct ta_event event;
    struct ta_problem why;
    GRand *random = g_rand_new_with_seed(8);
    size_t length;
    const void *saved = ta_snapshot_bytes(snapshot, &length);
    uint8_t *bytes = g_memdup2(saved, length);
    ck_assert_int_eq(ta_snapshot_read("", 0, &read, &why), TA_E_INPUT);
    for (size_t cut = 1; cut < length; cut += 997)
        ck_assert_int_eq(ta_snapshot_read(bytes, length - cut, &read, &why), TA_E_INPUT);
    bytes[4] = 9;
    ck_assert_int_eq(ta_snapshot_read(bytes, length, &read, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "the snapshot is of version 9, this library reads 3");
    bytes[4] = 3;
    ck_assert_int_eq(ta_machine_new(&board, NULL, 0, &other, NULL), TA_OK);
    unsigned taken = 0;
    for (int i = 0; i < 3000; ++i) {
        /* mostly among the harts and devices, whose part is the first two kilobytes */
        size_t at = 24 + (size_t)g_rand_int_range(random, 0, i % 4 ? 2600 : (gint32)length - 32),
               end = length - (i % 16 ? 0 : 8);
        uint8_t kept = bytes[at];
        bytes[at] ^= (uint8_t)(1u << g_rand_int_range(random, 0, 8));
        ck_assert_int_eq(ta_snapshot_read(bytes, length, &read, &why), TA_E_INPUT);
        uint64_t digest = digest_bytes(DIGEST_START, bytes + 16, end - 16), old;
        memcpy(&old, bytes + 8, 8);
        for (unsigned k = 0; k < 8; ++k)
            bytes[8 + k] = (uint8_t)(digest >> (8 * k));
        ck_assert_int_eq(ta_snapshot_read(bytes, end, &read, &why), TA_OK);
        if (!ta_machine_restore(other, read, &why)) {
            ++taken;
            for (int k = 0; k < 20; ++k)
                ta_machine_run(other, ta_machine_time_ns(other) + 2000, &event);
        }
        ta_snapshot_free(read);
        memcpy(bytes + 8, &old, 8);
        bytes[at] = kept;
    }
    ck_assert_uint_gt(taken, 500);
    g_rand_free(random);
    g_free(bytes);
    ta_snapshot_free(snapshot);
    ta_machine_free(machine);
    ta_machine_free(other);
}
END_TEST

int main(void) {
    return run_suite("harts", (const TTest *const[]){
                                  harts_of_two_widths_count_together, a_held_hart_waits_for_its_release,
                                  stops_in_the_middle_of_a_turn_change_no_order, events_and_steps_name_their_hart,
                                  a_debugger_leaves_no_trace, every_hart_has_its_clock, reservations_end_each_by_itself,
                                  what_is_restored_goes_on_as_what_was_saved, forks_copy_what_they_reach,
                                  a_snapshot_holds_devices_input_and_events, altered_snapshots_hurt_nobody, NULL});
}
