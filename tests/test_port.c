/* Every promise of port.h, on both ports that there are: the simulating one, and that of the example, which plays a record. And
   what deploy and verify do with a port of the user's own. */
#include "support.h"

#include "recorded_board.h"

#include <glib/gstdio.h>

static struct ta_context *context;
static struct ta_report *recorded;
static struct record record;
static struct ta_problem why;
static char *project;
static enum { SIMULATED, RECORDED, PORTS } which;

/* A built tide lamp, and the record of its trials on the simulated board. */
static void make_record(void) {
    project = tide_lamp_built();
    ck_assert_int_eq(ta_context_new(&context, &why), TA_OK);
    recorded = ta_report_new();
    ck_assert_msg(!ta_verify(context, project, NULL, recorded, &why), "%s", why.what);
    record = (struct record){.report = recorded};
}

/* The port under test, with the tide lamp in its flash. */
static struct ta_port open_port(void) {
    struct ta_port port = {0};
    g_autofree char *image = NULL;
    gsize size;
    why = (struct ta_problem){0};
    record.next = 2; /* "lamp fills with the tide", which presses nothing */
    ck_assert_int_eq(which == SIMULATED ? ta_port_simulate(dunlin(), &port, &why)
                                        : recorded_board_open(&record, dunlin(), &port, &why),
                     TA_OK);
    ck_assert_int_eq(ta_port_needs(&port, TA_CAN_POWER | TA_CAN_PROGRAM | TA_CAN_MEMORY, &why), TA_OK);
    ck_assert(g_file_get_contents(test_path("tide-lamp/out/dunlin-gcc/tide-lamp.bin"), &image, &size, NULL));
    ck_assert_int_eq(port.program(port.self, dunlin()->reset_address, image, size, &why), TA_OK);
    return port;
}

static void start(const struct ta_port *port) {
    ck_assert_int_eq(port->power(port->self, true, &why), TA_OK);
    ck_assert_int_eq(port->resume(port->self, &why), TA_OK);
}

static struct ta_event next(const struct ta_port *port, uint64_t until_ns) {
    struct ta_event event;
    memset(&event, 0xa5, sizeof event); /* so that a field which is not filled is seen */
    ck_assert_msg(!port->wait(port->self, until_ns, &event, &why), "%s", why.what);
    return event;
}

#define MS(count)           ((uint64_t)(count)*1000000)
#define EACH_PORT           for (which = SIMULATED; which < PORTS; ++which)
#define refused(status, is) ck_assert_msg((status) == (is) && *why.what, "port %d: %s", which, why.what)

START_TEST(a_port_opens_powered_off) {
    make_record();
    EACH_PORT {
        struct ta_port port = open_port();
        const struct ta_profile *profile = NULL;
        struct ta_event event;
        uint8_t bytes[4];
        ck_assert_int_eq(port.describe(port.self, &profile, &why), TA_OK);
        ck_assert_ptr_eq(profile, dunlin());
        for (int off = 0; off < 2; ++off) { /* as it is opened, and after it was on */
            why = (struct ta_problem){0};
            refused(port.reset(port.self, &why), TA_E_NO);
            refused(port.resume(port.self, &why), TA_E_NO);
            refused(port.halt(port.self, &why), TA_E_NO);
            refused(port.wait(port.self, MS(1), &event, &why), TA_E_NO);
            if (port.capabilities & TA_CAN_STEP)
                refused(port.step(port.self, 0, &event, &why), TA_E_NO);
            ck_assert_int_eq(port.read_memory(port.self, dunlin()->reset_address, bytes, 4, &why), TA_OK);
            ck_assert_int_eq(port.power(port.self, true, &why), TA_OK);
            ck_assert_int_eq(port.power(port.self, false, &why), TA_OK);
        }
        port.close(port.self);
    }
}
END_TEST

START_TEST(memory_is_reached_within_its_bounds) {
    make_record();
    EACH_PORT {
        struct ta_port port = open_port();
        const struct ta_memory *flash = &dunlin()->memories[0], *ram = &dunlin()->memories[1];
        ck_assert(flash->kind == TA_MEMORY_FLASH && ram->kind == TA_MEMORY_RAM);
        uint8_t bytes[8] = "estuary", seen[8];
        uint64_t end = flash->base + flash->size_bytes;
        ck_assert_int_eq(port.power(port.self, true, &why), TA_OK);
        ck_assert_int_eq(port.program(port.self, end - 8, bytes, 8, &why), TA_OK);
        ck_assert_int_eq(port.read_memory(port.self, end - 8, seen, 8, &why), TA_OK);
        ck_assert_mem_eq(seen, bytes, 8);
        ck_assert_int_eq(port.write_memory(port.self, ram->base, bytes, 8, &why), TA_OK);
        ck_assert_int_eq(port.read_memory(port.self, ram->base + 2, seen, 6, &why), TA_OK);
        ck_assert_mem_eq(seen, bytes + 2, 6);
        ck_assert_int_eq(port.read_memory(port.self, ram->base, seen, 0, &why), TA_OK);
        why = (struct ta_problem){0};
        memset(seen, 7, sizeof seen);
        refused(port.read_memory(port.self, end - 4, seen, 8, &why), TA_E_INPUT);
        refused(port.read_memory(port.self, UINT64_MAX - 3, seen, 8, &why), TA_E_INPUT);
        ck_assert_uint_eq(seen[0], 7);
        refused(port.write_memory(port.self, flash->base, bytes, 8, &why), TA_E_INPUT);
        refused(port.write_memory(port.self, ram->base + ram->size_bytes - 4, bytes, 8, &why), TA_E_INPUT);
        refused(port.program(port.self, ram->base, bytes, 8, &why), TA_E_INPUT);
        refused(port.program(port.self, end - 4, bytes, 8, &why), TA_E_INPUT);
        ck_assert_int_eq(port.read_memory(port.self, end - 8, seen, 8, &why), TA_OK);
        ck_assert_mem_eq(seen, bytes, 8);                            /* nothing of what was refused was done */
        ck_assert_int_eq(port.power(port.self, false, &why), TA_OK); /* flash keeps its own */
        ck_assert_int_eq(port.read_memory(port.self, end - 8, seen, 8, &why), TA_OK);
        ck_assert_mem_eq(seen, bytes, 8);
        port.close(port.self);
    }
}
END_TEST

/* All events up to UNTIL_NS, looked for every SLICE_NS. They are read after the port is closed: they own what they hold. */
static char *timeline(uint64_t until_ns, uint64_t slice_ns) {
    struct ta_port port = open_port();
    g_autoptr(GArray) events = g_array_new(FALSE, FALSE, sizeof(struct ta_event));
    GString *text = g_string_new(NULL);
    uint64_t before_ns = 0;
    start(&port);
    for (uint64_t to_ns = slice_ns; to_ns <= until_ns;) {
        struct ta_event event = next(&port, to_ns);
        ck_assert_uint_ge(event.time_ns, before_ns);
        ck_assert_uint_le(event.time_ns, to_ns + 1000000000 / dunlin()->clock_hz);
        before_ns = event.time_ns;
        if (event.kind == TA_EVENT_TIME)
            to_ns = to_ns < until_ns ? MIN(to_ns + slice_ns, until_ns) : UINT64_MAX;
        else
            g_array_append_val(events, event);
    }
    port.close(port.self);
    for (guint i = 0; i < events->len; ++i) {
        const struct ta_event *event = &g_array_index(events, struct ta_event, i);
        g_string_append_len(text, (const char *)event->bytes, (gssize)event->length);
        if (event->kind == TA_EVENT_OUTPUT)
            g_string_append_printf(text, "%s=%llx/%u\n", event->name, (unsigned long long)event->value, event->width);
    }
    return g_string_free(text, FALSE);
}

START_TEST(no_event_is_lost_or_told_twice) {
    make_record();
    g_autofree char *all[PORTS] = {NULL};
    EACH_PORT {
        uint64_t end_ns = ta_report_recording(recorded, 2)->time_ns + 1000;
        g_autofree char *fine = timeline(end_ns, end_ns / 1000);
        all[which] = timeline(end_ns, end_ns);
        ck_assert_str_eq(all[which], fine);
    }
    ck_assert_msg(strstr(all[SIMULATED], "tide-lamp ready\n") && strstr(all[SIMULATED], "lamps=ff/8"), "%s",
                  all[SIMULATED]);
    ck_assert_str_eq(all[SIMULATED], all[RECORDED]);
    for (int i = 0; i < PORTS; ++i)
        g_clear_pointer(&all[i], g_free);
}
END_TEST

START_TEST(time_is_the_target_s_own) {
    make_record();
    EACH_PORT {
        struct ta_port port = open_port();
        ck_assert_int_eq(port.power(port.self, true, &why), TA_OK);
        struct ta_event event = next(&port, MS(100)); /* halted: at once, and nothing happened */
        ck_assert(event.kind == TA_EVENT_TIME && event.time_ns == 0 && event.length == 0);
        ck_assert_int_eq(port.halt(port.self, &why), TA_OK); /* halted already */
        start(&port);
        ck_assert_int_eq(port.resume(port.self, &why), TA_OK); /* runs already */
        do
            event = next(&port, MS(700));
        while (event.kind != TA_EVENT_TIME);
        ck_assert_uint_eq(event.time_ns, MS(700));
        event = next(&port, MS(300)); /* a limit that has passed */
        ck_assert(event.kind == TA_EVENT_TIME && event.time_ns == MS(700));
        ck_assert_int_eq(port.halt(port.self, &why), TA_OK);
        event = next(&port, MS(900));
        ck_assert(event.kind == TA_EVENT_TIME && event.time_ns == MS(700));
        ck_assert_int_eq(port.reset(port.self, &why), TA_OK); /* device time goes on */
        ck_assert_uint_eq(next(&port, MS(900)).time_ns, MS(700));
        record.next = 2;
        ck_assert_int_eq(port.power(port.self, true, &why), TA_OK);
        ck_assert_uint_eq(next(&port, MS(900)).time_ns, 0);
        port.close(port.self);
    }
}
END_TEST

START_TEST(inputs_and_outputs_go_by_their_names) {
    make_record();
    EACH_PORT {
        struct ta_port port = open_port();
        uint64_t shown = 1, told = 0;
        why = (struct ta_problem){0};
        refused(port.set_input(port.self, "button Z", 1, &why), TA_E_INPUT);
        refused(port.read_output(port.self, "siren", &shown, &why), TA_E_INPUT);
        record.next = 0; /* "button changes the mode" */
        start(&port);
        struct ta_event event;
        do {
            event = next(&port, MS(2000));
            told = event.kind == TA_EVENT_OUTPUT ? event.value : told;
        } while (told != 3);
        ck_assert_int_eq(port.read_output(port.self, "lamps", &shown, &why), TA_OK);
        ck_assert_uint_eq(shown, 3);
        unsigned inputs = 0;
        g_autoptr(GString) said = g_string_new(NULL);
        ck_assert_int_eq(port.set_input(port.self, "button A", 1, &why), TA_OK);
        do {
            event = next(&port, event.time_ns + MS(40));
            inputs += event.kind == TA_EVENT_INPUT;
            if (event.kind == TA_EVENT_INPUT)
                ck_assert(!strcmp(event.name, "button A") && event.value == 1);
            g_string_append_len(said, (char *)event.bytes, (gssize)event.length);
        } while (event.kind != TA_EVENT_TIME && !strstr(said->str, "mode mark\n"));
        ck_assert_uint_eq(inputs, 1);
        ck_assert_int_ne(event.kind, TA_EVENT_TIME);
        port.close(port.self);
    }
}
END_TEST

START_TEST(what_a_port_cannot_do_is_said_in_words) {
    static const uint32_t all[] = {TA_CAN_POWER,   TA_CAN_PROGRAM, TA_CAN_MEMORY, TA_CAN_REGISTERS, TA_CAN_BREAK,
                                   TA_CAN_CONSOLE, TA_CAN_INPUT,   TA_CAN_OUTPUT, TA_CAN_TRACE,     TA_CAN_SEMIHOST,
                                   TA_CAN_STEP,    TA_CAN_WATCH,   TA_CAN_LOAD,   TA_CAN_KEEP,      TA_CAN_BRANCHES};
    make_record();
    EACH_PORT {
        struct ta_port port = open_port();
        for (size_t i = 0; i < G_N_ELEMENTS(all); ++i) {
            why = (struct ta_problem){0};
            if (port.capabilities & all[i])
                ck_assert_int_eq(ta_port_needs(&port, all[i], &why), TA_OK);
            else
                refused(ta_port_needs(&port, all[i], &why), TA_E_UNSUPPORTED);
        }
        struct ta_port old = port;
        old.version = 1;
        refused(ta_port_needs(&old, 0, &why), TA_E_UNSUPPORTED);
        ck_assert_ptr_nonnull(strstr(why.what, "version 1"));
        port.close(port.self);
    }
}
END_TEST

/* The simulating port alone can do what follows: the other one's capabilities say so. */
static uint64_t pc_of(const struct ta_port *port) {
    uint64_t pc;
    ck_assert_int_eq(port->read_register(port->self, 0, TA_REGISTER_PC, &pc, &why), TA_OK);
    return pc;
}

START_TEST(a_hart_is_stepped_and_stopped_where_it_is_asked_to) {
    make_record();
    which = SIMULATED;
    struct ta_port port = open_port();
    struct ta_event event;
    uint64_t value, begin = dunlin()->reset_address;
    ck_assert_int_eq(port.power(port.self, true, &why), TA_OK);
    ck_assert_uint_eq(pc_of(&port), begin);
    why = (struct ta_problem){0};
    refused(port.step(port.self, 7, &event, &why), TA_E_INPUT);
    refused(port.read_register(port.self, 7, 1, &value, &why), TA_E_INPUT);
    refused(port.read_register(port.self, 0, 60, &value, &why), TA_E_INPUT);
    ck_assert_int_eq(port.write_register(port.self, 0, 10, 4711, &why), TA_OK);
    ck_assert_int_eq(port.read_register(port.self, 0, 10, &value, &why), TA_OK);
    ck_assert_uint_eq(value, 4711);
    uint64_t passed[6];
    for (size_t i = 0; i < G_N_ELEMENTS(passed); ++i) {
        ck_assert_int_eq(port.step(port.self, 0, &event, &why), TA_OK);
        ck_assert(event.kind == TA_EVENT_STEP && event.hart == 0 && event.pc == pc_of(&port));
        passed[i] = event.pc;
    }
    ck_assert_uint_ne(passed[0], begin);
    /* Twice is one, and over a reset; taking away none is no error. */
    for (int i = 0; i < 2; ++i)
        ck_assert_int_eq(port.set_breakpoint(port.self, passed[4], true, &why), TA_OK);
    ck_assert_int_eq(port.reset(port.self, &why), TA_OK);
    ck_assert_int_eq(port.resume(port.self, &why), TA_OK);
    event = next(&port, MS(10));
    ck_assert(event.kind == TA_EVENT_BREAKPOINT && event.pc == passed[4] && pc_of(&port) == passed[4]);
    ck_assert_int_eq(next(&port, MS(10)).kind, TA_EVENT_TIME); /* halted, and told once */
    for (int i = 0; i < 2; ++i)
        ck_assert_int_eq(port.set_breakpoint(port.self, passed[4], false, &why), TA_OK);
    ck_assert_int_eq(port.reset(port.self, &why), TA_OK);
    ck_assert_int_eq(port.resume(port.self, &why), TA_OK);
    do
        event = next(&port, MS(1));
    while (event.kind == TA_EVENT_CONSOLE);
    ck_assert_int_eq(event.kind, TA_EVENT_TIME);
    port.close(port.self);
}
END_TEST

START_TEST(memory_is_watched) {
    make_record();
    which = SIMULATED;
    struct ta_port port = open_port();
    const struct ta_memory *ram = &dunlin()->memories[1];
    why = (struct ta_problem){0};
    refused(port.set_watchpoint(port.self, ram->base, 0, TA_ACCESS_WRITE, &why), TA_E_INPUT);
    ck_assert_int_eq(port.set_watchpoint(port.self, ram->base, ram->size_bytes, TA_ACCESS_WRITE, &why), TA_OK);
    start(&port);
    struct ta_event event = next(&port, MS(100));
    ck_assert_int_eq(event.kind, TA_EVENT_WATCHPOINT);
    ck_assert(event.value >= ram->base && event.value < ram->base + ram->size_bytes);
    ck_assert_uint_ne(event.pc, pc_of(&port)); /* the instruction is done */
    ck_assert_int_eq(next(&port, MS(100)).kind, TA_EVENT_TIME);
    /* Reading is another way: what is written first is passed by. */
    uint64_t writer = event.pc;
    ck_assert_int_eq(port.set_watchpoint(port.self, ram->base, ram->size_bytes, 0, &why), TA_OK);
    ck_assert_int_eq(port.set_watchpoint(port.self, ram->base, ram->size_bytes, TA_ACCESS_READ, &why), TA_OK);
    start(&port);
    event = next(&port, MS(100));
    ck_assert(event.kind == TA_EVENT_WATCHPOINT && event.pc != writer);
    /* And it is those bytes alone. */
    ck_assert_int_eq(port.set_watchpoint(port.self, ram->base, ram->size_bytes, 0, &why), TA_OK);
    ck_assert_int_eq(port.set_watchpoint(port.self, event.value, 1, TA_ACCESS_WRITE, &why), TA_OK);
    start(&port);
    uint64_t watched = event.value;
    event = next(&port, MS(100));
    ck_assert(event.kind == TA_EVENT_WATCHPOINT && event.value <= watched && event.value + 4 > watched);
    ck_assert_int_eq(port.set_watchpoint(port.self, watched, 1, 0, &why), TA_OK);
    ck_assert_int_eq(port.set_watchpoint(port.self, ram->base, ram->size_bytes, 0, &why), TA_OK);
    ck_assert_int_eq(port.resume(port.self, &why), TA_OK);
    do
        event = next(&port, MS(400));
    while (event.kind == TA_EVENT_CONSOLE || event.kind == TA_EVENT_OUTPUT);
    ck_assert_int_eq(event.kind, TA_EVENT_TIME);
    port.close(port.self);
}
END_TEST

START_TEST(equal_runs_have_equal_traces) {
    make_record();
    which = SIMULATED;
    uint64_t digests[3];
    for (int i = 0; i < 3; ++i) {
        struct ta_port port = open_port();
        start(&port);
        while (next(&port, i < 2 ? MS(600) : MS(601)).kind != TA_EVENT_TIME)
            ;
        ck_assert_int_eq(port.trace(port.self, &digests[i], &why), TA_OK);
        port.close(port.self);
    }
    ck_assert(digests[0] == digests[1] && digests[1] != digests[2]);
}
END_TEST

/* A port of the user's own behind the chain. */

static struct {
    bool refuses, old, breaks;
    uint32_t lacks;
    unsigned opened, closed, waits;
    void (*close)(void *self);
    enum ta_status (*wait)(void *self, uint64_t until_ns, struct ta_event *event, struct ta_problem *why);
    char name[32];
} own;

static void close_counted(void *self) {
    ++own.closed;
    own.close(self);
}

static enum ta_status wait_until_unplugged(void *self, uint64_t until_ns, struct ta_event *event,
                                           struct ta_problem *problem) {
    if (own.breaks && ++own.waits > 5)
        return ta_problem_set(problem, TA_E_PORT, "plug it in again", "the cable was pulled");
    return own.wait(self, until_ns, event, problem);
}

static enum ta_status open_own(void *with, const struct ta_target *target, struct ta_port *port,
                               struct ta_problem *problem) {
    g_snprintf(own.name, sizeof own.name, "%s %s", target->name, target->options[1]);
    if (own.refuses)
        return ta_problem_set(problem, TA_E_PORT, "plug it in", "no board answers on the bench");
    *port = (struct ta_port){.version = 1};
    if (own.old) /* whatever stands where in it, nobody calls it */
        return TA_OK;
    enum ta_status status = recorded_board_open(with, target->profile, port, problem);
    own.close = port->close;
    own.wait = port->wait;
    port->close = close_counted;
    port->wait = wait_until_unplugged;
    port->capabilities &= ~own.lacks;
    if (own.lacks & TA_CAN_MEMORY)
        port->read_memory = NULL;
    ++own.opened;
    return status;
}

static void listen_own(void) {
    const struct ta_port_kind kind = {.size_bytes = sizeof kind, .name = "own", .with = &record, .open = open_own};
    const char *target = test_path("home/bench/dunlin/target.yaml");
    if (!strstr(read_text(target), "port:"))
        edit(target, "profile: dunlin\n", "profile: dunlin\nport: {kind: own, probe: \"4711\"}\n");
    memset(&own, 0, sizeof own);
    record.next = 0;
    ck_assert_int_eq(ta_context_add_port(context, &kind, &why), TA_OK);
}

START_TEST(deploy_and_verify_go_through_a_port_of_the_user_s_own) {
    make_record();
    listen_own();
    struct ta_report *report = ta_report_new();
    ck_assert_msg(!ta_deploy(context, project, NULL, report, &why), "%s", why.what);
    ck_assert_str_eq(own.name, "dunlin probe=4711");
    ck_assert_msg(!ta_verify(context, project, NULL, report, &why), "%s", why.what);
    ck_assert_uint_eq(ta_report_recordings(report), ta_report_recordings(recorded));
    for (size_t i = 0; i < ta_report_recordings(report); ++i) {
        const struct ta_recording *played = ta_report_recording(report, i), *first = ta_report_recording(recorded, i);
        ck_assert(played->passed);
        ck_assert_uint_eq(played->moment_count, first->moment_count);
        for (size_t k = 0; k < played->moment_count; ++k) {
            char was[256], is[256];
            ck_assert_uint_eq(played->moments[k].time_ns, first->moments[k].time_ns);
            ck_assert_str_eq(ta_moment_text(&played->moments[k], is, sizeof is),
                             ta_moment_text(&first->moments[k], was, sizeof was));
        }
    }
    ck_assert(own.opened >= 2 && own.opened == own.closed);
    ta_report_free(report);
    /* A verdict is about the board: what it showed decides, not what is in its flash. */
    edit(test_path("tide-lamp/trials/lamps.trial"), "lamps show 11111111\n", "lamps show 10101010\n");
    listen_own();
    report = ta_report_new();
    ck_assert_int_eq(ta_verify(context, project, NULL, report, &why), TA_E_NO);
    const struct ta_recording *failed = ta_report_recording(report, 3);
    ck_assert(!failed->passed && failed->failed && failed->failed->outcome == TA_OUTCOME_FAILED);
    ck_assert_ptr_nonnull(strstr(failed->failed->source, "lamps show 10101010"));
    ck_assert(*failed->failed->seen);
    ta_report_free(report);
}
END_TEST

START_TEST(a_port_in_trouble_ends_in_one_line) {
    static const struct {
        bool refuses, old, breaks;
        uint32_t lacks;
        enum ta_status status;
        const char *what;
    } troubles[] = {
        {.refuses = true, .status = TA_E_PORT, .what = "no board answers on the bench"},
        {.old = true, .status = TA_E_UNSUPPORTED, .what = "the port has version 1"},
        {.breaks = true, .status = TA_E_PORT, .what = "the cable was pulled"},
        {.lacks = TA_CAN_MEMORY, .status = TA_E_UNSUPPORTED, .what = "cannot read and write its memory"},
        {.lacks = TA_CAN_PROGRAM, .status = TA_E_UNSUPPORTED, .what = "cannot program its flash"},
        {.lacks = TA_CAN_INPUT, .status = TA_E_UNSUPPORTED, .what = "cannot set its inputs"},
        {.lacks = TA_CAN_TIME, .status = TA_E_UNSUPPORTED, .what = "cannot tell device time"},
    };
    make_record();
    for (size_t i = 0; i < G_N_ELEMENTS(troubles); ++i) {
        listen_own();
        own.refuses = troubles[i].refuses;
        own.old = troubles[i].old;
        own.breaks = troubles[i].breaks;
        own.lacks = troubles[i].lacks;
        struct ta_report *report = ta_report_new();
        why = (struct ta_problem){0};
        enum ta_status status = ta_verify(context, project, NULL, report, &why);
        ck_assert_msg(status == troubles[i].status && strstr(why.what, troubles[i].what), "%zu: %d %s", i, status,
                      why.what);
        ck_assert_uint_eq(own.opened, own.closed);
        record.next = 0;
        own.breaks = own.refuses = own.old = false;
        own.lacks = 0;
        ck_assert_msg(!ta_verify(context, project, NULL, report, NULL), "%zu: not the same again", i);
        ta_report_free(report);
    }
}
END_TEST

int main(void) {
    return run_suite("port", (const TTest *const[]){
                                 a_port_opens_powered_off, memory_is_reached_within_its_bounds,
                                 no_event_is_lost_or_told_twice, time_is_the_target_s_own,
                                 inputs_and_outputs_go_by_their_names, what_a_port_cannot_do_is_said_in_words,
                                 a_hart_is_stepped_and_stopped_where_it_is_asked_to, memory_is_watched,
                                 equal_runs_have_equal_traces, deploy_and_verify_go_through_a_port_of_the_user_s_own,
                                 a_port_in_trouble_ends_in_one_line, NULL});
}
