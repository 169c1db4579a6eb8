/* The simulating port: port.h over a machine in this process. */
#include "port/replay.h"
#include "tameanchor/port.h"

#include <stdlib.h>

struct simulated {
    const struct ta_profile *profile;
    struct ta_machine *machine;
    struct replay replay;
    bool running;
};

static enum ta_status need_power(const struct simulated *sim, struct ta_problem *why) {
    if (ta_machine_stopped(sim->machine) == TA_STOP_OFF)
        return ta_problem_set(why, TA_E_NO, "power it on first", "%s is powered off", sim->profile->name);
    return TA_OK;
}

static enum ta_status sim_describe(void *self, const struct ta_profile **profile, struct ta_problem *why) {
    (void)why;
    *profile = ((struct simulated *)self)->profile;
    return TA_OK;
}

static enum ta_status sim_power(void *self, bool on, struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    (void)why;
    ta_machine_power(sim->machine, on);
    sim->running = false;
    return TA_OK;
}

static enum ta_status sim_reset(void *self, struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    enum ta_status status = need_power(sim, why);
    if (!status)
        ta_machine_reset(sim->machine);
    sim->running = false;
    return status;
}

static enum ta_status sim_resume(void *self, struct ta_problem *why) {
    struct simulated *sim = self;
    enum ta_status status = need_power(sim, why);
    sim->running = !status;
    return status;
}

static enum ta_status sim_halt(void *self, struct ta_problem *why) {
    struct simulated *sim = self;
    sim->running = false;
    return need_power(sim, why);
}

static enum ta_status sim_wait(void *self, uint64_t until_ns, struct ta_event *event, struct ta_problem *why) {
    struct simulated *sim = self;
    enum ta_status status = need_power(sim, why);
    if (status)
        return status;
    if (sim->running)
        replay_prepare(&sim->replay, sim->machine);
    ta_machine_run(sim->machine, sim->running ? until_ns : 0, event);
    if (event->kind == TA_EVENT_BREAKPOINT || event->kind == TA_EVENT_WATCHPOINT || event->kind == TA_EVENT_STOP)
        sim->running = false;
    return TA_OK;
}

static enum ta_status sim_step(void *self, unsigned hart, struct ta_event *event, struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    uint64_t pc = 0;
    enum ta_status status = need_power(sim, why);
    if (!status && ta_machine_register(sim->machine, hart, TA_REGISTER_PC, &pc))
        status = ta_problem_set(why, TA_E_INPUT, "harts count from 0", "%s has no hart %u", sim->profile->name, hart);
    if (status)
        return status;
    sim->running = false;
    ta_machine_step(sim->machine, hart, 1, event);
    if (event->kind == TA_EVENT_TIME && !ta_machine_register(sim->machine, hart, TA_REGISTER_PC, &event->pc)) {
        event->kind = TA_EVENT_STEP;
        event->hart = hart;
    }
    return TA_OK;
}

static enum ta_status no_memory(enum ta_status status, uint64_t address, size_t size, struct ta_problem *why) {
    return status ? ta_problem_set(why, status, "the profile lists the target's memory",
                                   "0x%llx to 0x%llx is not within one memory", (unsigned long long)address,
                                   (unsigned long long)(address + size - (size != 0)))
                  : TA_OK;
}

/* Flash can be read and programmed without power; what is in RAM and registers is then nowhere. */
static enum ta_status sim_read_memory(void *self, uint64_t address, void *bytes, size_t size, struct ta_problem *why) {
    struct simulated *sim = self;
    const struct ta_memory *memory = ta_profile_memory_at(sim->profile, address, size);
    enum ta_status status = memory && memory->kind == TA_MEMORY_RAM ? need_power(sim, why) : TA_OK;
    if (status)
        return status;
    return no_memory(ta_machine_read(sim->machine, address, bytes, size), address, size, why);
}

static enum ta_status sim_write_memory(void *self, uint64_t address, const void *bytes, size_t size,
                                       struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    const struct ta_memory *memory = ta_profile_memory_at(sim->profile, address, size);
    bool ram = memory && memory->kind == TA_MEMORY_RAM;
    enum ta_status status = ram ? need_power(sim, why) : TA_OK;
    if (status)
        return status;
    return no_memory(ram ? ta_machine_write(sim->machine, address, bytes, size) : TA_E_INPUT, address, size, why);
}

static enum ta_status sim_program(void *self, uint64_t address, const void *bytes, size_t size,
                                  struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    const struct ta_memory *memory = ta_profile_memory_at(sim->profile, address, size);
    bool flash = memory && memory->kind == TA_MEMORY_FLASH;
    return no_memory(flash ? ta_machine_write(sim->machine, address, bytes, size) : TA_E_INPUT, address, size, why);
}

static enum ta_status sim_store_size(void *self, const char *device, uint64_t *size, struct ta_problem *why) {
    (void)why;
    *size = ta_machine_store_size(((struct simulated *)self)->machine, device);
    return TA_OK;
}

static enum ta_status no_store(enum ta_status status, const char *device, struct ta_problem *why) {
    return status ? ta_problem_set(why, status, "a card has so many blocks of 512 bytes as its profile says",
                                   "that is not within what %s keeps", device)
                  : TA_OK;
}

static enum ta_status sim_read_store(void *self, const char *device, uint64_t offset, void *bytes, size_t size,
                                     struct ta_problem *why) {
    return no_store(ta_machine_store_read(((struct simulated *)self)->machine, device, offset, bytes, size), device,
                    why);
}

static enum ta_status sim_write_store(void *self, const char *device, uint64_t offset, const void *bytes, size_t size,
                                      struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    return no_store(ta_machine_store_write(sim->machine, device, offset, bytes, size), device, why);
}

static enum ta_status out_of_memory(enum ta_status status, struct ta_problem *why) {
    return status ? ta_problem_set(why, status, NULL, "out of memory") : TA_OK;
}

struct mark {
    struct ta_snapshot *snapshot;
    bool running;
};

static enum ta_status sim_mark(void *self, void **result, struct ta_problem *why) {
    struct simulated *sim = self;
    struct mark *mark = calloc(1, sizeof *mark);
    *result = NULL;
    if (!mark || ta_machine_save(sim->machine, &mark->snapshot)) {
        free(mark);
        return out_of_memory(TA_E_MEMORY, why);
    }
    mark->running = sim->running;
    *result = mark;
    return TA_OK;
}

static enum ta_status sim_rewind(void *self, const void *with, struct ta_problem *why) {
    struct simulated *sim = self;
    const struct mark *mark = with;
    sim->replay.broken = true;
    sim->running = mark->running;
    return ta_machine_restore(sim->machine, mark->snapshot, why);
}

static void sim_forget(void *self, void *with) {
    struct mark *mark = with;
    (void)self;
    if (mark)
        ta_snapshot_free(mark->snapshot);
    free(mark);
}

static enum ta_status no_register(enum ta_status status, unsigned number, struct ta_problem *why) {
    return status ? ta_problem_set(why, status, NULL, "there is no register %u to reach", number) : TA_OK;
}

static enum ta_status sim_read_register(void *self, unsigned hart, unsigned number, uint64_t *value,
                                        struct ta_problem *why) {
    struct simulated *sim = self;
    enum ta_status status = need_power(sim, why);
    return status ? status : no_register(ta_machine_register(sim->machine, hart, number, value), number, why);
}

static enum ta_status sim_write_register(void *self, unsigned hart, unsigned number, uint64_t value,
                                         struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    enum ta_status status = need_power(sim, why);
    return status ? status : no_register(ta_machine_set_register(sim->machine, hart, number, value), number, why);
}

static enum ta_status sim_set_breakpoint(void *self, uint64_t address, bool on, struct ta_problem *why) {
    struct simulated *sim = self;
    return out_of_memory(ta_machine_set_breakpoint(sim->machine, address, on), why);
}

static enum ta_status sim_set_watchpoint(void *self, uint64_t address, uint64_t size, unsigned kinds,
                                         struct ta_problem *why) {
    struct simulated *sim = self;
    enum ta_status status = ta_machine_set_watchpoint(sim->machine, address, size, kinds);
    return status == TA_E_INPUT ? ta_problem_set(why, status, "give it a size", "there is nothing to watch at 0x%llx",
                                                 (unsigned long long)address)
                                : out_of_memory(status, why);
}

static enum ta_status sim_type(void *self, const void *bytes, size_t length, bool closed, struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    return out_of_memory(ta_machine_type(sim->machine, bytes, length, closed), why);
}

static enum ta_status sim_set_input(void *self, const char *name, uint64_t value, struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    return ta_machine_set_input(sim->machine, name, value, why);
}

static enum ta_status sim_read_output(void *self, const char *name, uint64_t *value, struct ta_problem *why) {
    struct simulated *sim = self;
    return ta_machine_output(sim->machine, name, value, why);
}

static enum ta_status sim_message(void *self, const char *name, const void *text, size_t length,
                                  struct ta_problem *why) {
    struct simulated *sim = self;
    enum ta_status status = need_power(sim, why);
    sim->replay.broken = true;
    return status ? status : ta_machine_message(sim->machine, name, text, length, why);
}

static enum ta_status sim_read_picture(void *self, const char *name, struct ta_picture *picture,
                                       struct ta_problem *why) {
    return ta_machine_picture(((struct simulated *)self)->machine, name, picture, why);
}

static enum ta_status sim_trace(void *self, uint64_t *digest, struct ta_problem *why) {
    (void)why;
    *digest = ta_machine_trace(((struct simulated *)self)->machine);
    return TA_OK;
}

static enum ta_status sim_branches(void *self, unsigned hart, struct ta_branch *branches, size_t *count,
                                   struct ta_problem *why) {
    struct simulated *sim = self;
    enum ta_status status = need_power(sim, why);
    *count = status ? 0 : replay_branches(&sim->replay, sim->machine, hart, branches);
    return status;
}

static enum ta_status sim_command_line(void *self, const char *text, struct ta_problem *why) {
    struct simulated *sim = self;
    sim->replay.broken = true;
    return out_of_memory(ta_machine_set_command_line(sim->machine, text), why);
}

static void sim_close(void *self) {
    struct simulated *sim = self;
    replay_end(&sim->replay);
    ta_machine_free(sim->machine);
    free(sim);
}

enum ta_status ta_port_simulate(const struct ta_profile *profile, struct ta_port *port, struct ta_problem *why) {
    return ta_port_simulate_with(profile, NULL, 0, port, why);
}

enum ta_status ta_port_simulate_with(const struct ta_profile *profile, const struct ta_device_kind *const *models,
                                     size_t model_count, struct ta_port *port, struct ta_problem *why) {
    struct simulated *sim = calloc(1, sizeof *sim);
    if (!sim)
        return out_of_memory(TA_E_MEMORY, why);
    enum ta_status status = ta_machine_new(profile, models, model_count, &sim->machine, why);
    if (status) {
        free(sim);
        return status;
    }
    sim->profile = profile;
    sim->replay = (struct replay){.profile = profile, .models = models, .model_count = model_count};
    *port = (struct ta_port){
        .version = TA_PORT_VERSION,
        .capabilities = TA_CAN_POWER | TA_CAN_PROGRAM | TA_CAN_MEMORY | TA_CAN_REGISTERS | TA_CAN_BREAK |
                        TA_CAN_CONSOLE | TA_CAN_INPUT | TA_CAN_OUTPUT | TA_CAN_TRACE | TA_CAN_STEP | TA_CAN_WATCH |
                        TA_CAN_BRANCHES | TA_CAN_PICTURE | TA_CAN_STORE | TA_CAN_REWIND | TA_CAN_MESSAGE | TA_CAN_TIME |
                        (profile->semihosting ? TA_CAN_SEMIHOST : 0),
        .self = sim,
        .describe = sim_describe,
        .power = sim_power,
        .reset = sim_reset,
        .resume = sim_resume,
        .halt = sim_halt,
        .step = sim_step,
        .wait = sim_wait,
        .read_memory = sim_read_memory,
        .write_memory = sim_write_memory,
        .read_register = sim_read_register,
        .write_register = sim_write_register,
        .program = sim_program,
        .store_size = sim_store_size,
        .read_store = sim_read_store,
        .write_store = sim_write_store,
        .mark = sim_mark,
        .rewind = sim_rewind,
        .forget = sim_forget,
        .set_breakpoint = sim_set_breakpoint,
        .set_watchpoint = sim_set_watchpoint,
        .type = sim_type,
        .set_input = sim_set_input,
        .read_output = sim_read_output,
        .message = sim_message,
        .read_picture = sim_read_picture,
        .branches = sim_branches,
        .trace = sim_trace,
        .command_line = sim_command_line,
        .close = sim_close,
    };
    return TA_OK;
}
