/* RISC-V semihosting, version 0.2 of the open specification (calls and numbers of Arm's semihosting, release 2.0):
   enough for a bare-metal program that was built with its C library's semihosting start-up. The guest gets the console,
   a clock and its exit; it never reaches a file, a name or a command of the host. */
#include "base/scale.h"
#include "machine/board.h"

#include <stdlib.h>
#include <string.h>

/* The instructions around the ebreak that make it a call: slli x0, x0, 0x1f and srai x0, x0, 7. */
enum { ENTRY_NOP = 0x01f01013, EXIT_NOP = 0x40705013 };

enum {
    ERROR_BAD_FILE = 9,
    ERROR_FAULT = 14,
    ERROR_NOT_SUPPORTED = 95,
    ERROR_NO_FILE = 2,

    FILE_LIMIT = 16, /* handles 1..FILE_LIMIT */
    FEATURES_HANDLE_BIT = 16,
    STOPPED_EXIT = 0x20026, /* ADP_Stopped_ApplicationExit */
    BLOCK_BYTES = 256,

    PIECE_BYTES = 64,
    LINE_BYTES_PER_S = 11520 /* 115,200 Bd, ten bits a byte */
};

/* The features file: magic, then SH_EXT_EXIT_EXTENDED | SH_EXT_STDOUT_STDERR. */
static const uint8_t features[SEMIHOSTING_FEATURES_BYTES] = {0x53, 0x48, 0x46, 0x42, 0x03};

/* One call: its machine, the parameter in a1, and the word size of its parameter block. */
struct call {
    struct ta_machine *machine;
    struct hart *hart;
    uint64_t parameter;
    unsigned word;
};

static bool block_word(const struct call *call, unsigned index, uint64_t *value) {
    const uint8_t *at = bus_memory(&call->machine->bus, call->parameter + (uint64_t)index * call->word, call->word);
    if (at)
        *value = little_load(at, call->word);
    return at != NULL;
}

/* SIZE bytes of guest RAM that the call may write to, or null. */
static uint8_t *writable_memory(const struct call *call, uint64_t address, uint64_t size) {
    const struct bus_region *region = bus_find(&call->machine->bus, address, size);
    if (!region || !region->bytes || !region->writable)
        return NULL;
    board_touched(call->machine, region, address, size);
    return region->bytes + (address - region->base);
}

static enum hart_call answer(struct call *call, int64_t value) {
    uint64_t bits = (uint64_t)value;
    hart_set_x(call->hart, 10, bits);
    return CALL_DONE;
}

static enum hart_call fail(struct call *call, int error, int64_t value) {
    call->machine->semihosting.error = error;
    return answer(call, value);
}

static bool file_open(const struct call *call, uint64_t handle) {
    return handle >= 1 && handle <= FILE_LIMIT && call->machine->semihosting.open_files & 1u << (handle - 1);
}

static bool file_is_features(const struct call *call, uint64_t handle) {
    return call->machine->semihosting.open_files & 1u << (FEATURES_HANDLE_BIT + handle - 1);
}

static enum hart_call call_open(struct call *call) {
    static const char console_name[] = ":tt", features_name[] = ":semihosting-features";
    struct semihosting *state = &call->machine->semihosting;
    uint64_t name_at, mode, length;
    if (!block_word(call, 0, &name_at) || !block_word(call, 1, &mode) || !block_word(call, 2, &length))
        return fail(call, ERROR_FAULT, -1);
    const uint8_t *name = length < BLOCK_BYTES ? bus_memory(&call->machine->bus, name_at, length + 1) : NULL;
    if (!name)
        return fail(call, ERROR_FAULT, -1);
    bool console = length == sizeof console_name - 1 && !memcmp(name, console_name, (size_t)length);
    bool asks_features = length == sizeof features_name - 1 && !memcmp(name, features_name, (size_t)length);
    if (!console && !asks_features)
        return fail(call, ERROR_NO_FILE, -1);
    for (unsigned i = 0; i < FILE_LIMIT; ++i) {
        if (state->open_files & 1u << i)
            continue;
        state->open_files |= 1u << i;
        if (asks_features) {
            state->open_files |= 1u << (FEATURES_HANDLE_BIT + i);
            state->features_at = 0;
        }
        return answer(call, i + 1);
    }
    return fail(call, ERROR_BAD_FILE, -1);
}

static enum hart_call call_close(struct call *call) {
    uint64_t handle;
    if (!block_word(call, 0, &handle) || !file_open(call, handle))
        return fail(call, ERROR_BAD_FILE, -1);
    call->machine->semihosting.open_files &= ~(1u << (handle - 1) | 1u << (FEATURES_HANDLE_BIT + handle - 1));
    return answer(call, 0);
}

/* Output takes the time that a console's line would need, so that no program writes faster than a console can carry: what of
   LENGTH bytes AT is still to say, a piece of it. True when that was all. */
static bool say(struct call *call, const uint8_t *at, uint64_t length) {
    struct semihosting *state = &call->machine->semihosting;
    uint64_t done = state->said_at == call->hart->state.pc && state->said < length ? state->said : 0;
    uint64_t piece = length - done < PIECE_BYTES ? length - done : PIECE_BYTES;
    board_console(call->machine, at + done, (size_t)piece);
    call->hart->state.cycle +=
        scale_ceiling(piece, board_hart_of(call->machine, call->hart)->clock_hz, LINE_BYTES_PER_S);
    state->said = done + piece;
    state->said_at = state->said < length ? call->hart->state.pc : UINT64_MAX;
    return state->said == length;
}

static enum hart_call call_write_character(struct call *call) {
    const uint8_t *at = bus_memory(&call->machine->bus, call->parameter, 1);
    if (at)
        say(call, at, 1);
    return CALL_DONE;
}

static enum hart_call call_write_text(struct call *call) {
    const struct bus_region *region = bus_find(&call->machine->bus, call->parameter, 1);
    uint64_t offset = region ? call->parameter - region->base : 0;
    const uint8_t *at = region && region->bytes ? region->bytes + offset : NULL;
    const uint8_t *end = at ? memchr(at, 0, (size_t)(region->size - offset)) : NULL;
    return end && !say(call, at, (uint64_t)(end - at)) ? CALL_GOES_ON : CALL_DONE;
}

/* Answers the number of bytes NOT written, as the specification has it. */
static enum hart_call call_write(struct call *call) {
    uint64_t handle, address, length;
    if (!block_word(call, 0, &handle) || !block_word(call, 1, &address) || !block_word(call, 2, &length))
        return fail(call, ERROR_FAULT, -1);
    const uint8_t *bytes = length ? bus_memory(&call->machine->bus, address, length) : NULL;
    if (!file_open(call, handle) || file_is_features(call, handle))
        return fail(call, ERROR_BAD_FILE, (int64_t)length);
    if (length && !bytes)
        return fail(call, ERROR_FAULT, (int64_t)length);
    return length && !say(call, bytes, length) ? CALL_GOES_ON : answer(call, 0);
}

/* Answers the number of bytes NOT read. A read from the console takes what was typed, and waits while nothing was. */
static enum hart_call call_read(struct call *call) {
    struct ta_machine *machine = call->machine;
    uint64_t handle, address, length;
    if (!block_word(call, 0, &handle) || !block_word(call, 1, &address) || !block_word(call, 2, &length))
        return fail(call, ERROR_FAULT, -1);
    uint8_t *bytes = writable_memory(call, address, length);
    if (!file_open(call, handle))
        return fail(call, ERROR_BAD_FILE, (int64_t)length);
    if (length && !bytes)
        return fail(call, ERROR_FAULT, (int64_t)length);
    if (file_is_features(call, handle)) {
        size_t left = sizeof features - machine->semihosting.features_at;
        size_t count = length < left ? (size_t)length : left;
        if (count)
            memcpy(bytes, features + machine->semihosting.features_at, count);
        machine->semihosting.features_at += count;
        return answer(call, (int64_t)(length - count));
    }
    if (length && !machine->input.length && !machine->input_closed)
        return CALL_WAITS;
    size_t count = length < machine->input.length ? (size_t)length : machine->input.length;
    if (count)
        memcpy(bytes, machine->input.bytes, count);
    text_drop(&machine->input, count);
    return answer(call, (int64_t)(length - count));
}

static enum hart_call call_read_character(struct call *call) {
    struct ta_machine *machine = call->machine;
    if (!machine->input.length)
        return machine->input_closed ? answer(call, -1) : CALL_WAITS;
    uint8_t byte = (uint8_t)machine->input.bytes[0];
    text_drop(&machine->input, 1);
    return answer(call, byte);
}

static enum hart_call call_is_error(struct call *call) {
    uint64_t status = 0;
    block_word(call, 0, &status);
    return answer(call, (status >> (call->word * 8 - 1)) & 1);
}

static enum hart_call call_is_terminal(struct call *call) {
    uint64_t handle;
    if (!block_word(call, 0, &handle) || !file_open(call, handle))
        return fail(call, ERROR_BAD_FILE, -1);
    return answer(call, !file_is_features(call, handle));
}

static enum hart_call call_seek(struct call *call) {
    uint64_t handle, position;
    if (!block_word(call, 0, &handle) || !block_word(call, 1, &position) || !file_open(call, handle) ||
        !file_is_features(call, handle) || position > sizeof features)
        return fail(call, ERROR_BAD_FILE, -1);
    call->machine->semihosting.features_at = (size_t)position;
    return answer(call, 0);
}

/* The console has no length: 0, as for any terminal. */
static enum hart_call call_length(struct call *call) {
    uint64_t handle;
    if (!block_word(call, 0, &handle) || !file_open(call, handle))
        return fail(call, ERROR_BAD_FILE, -1);
    return answer(call, file_is_features(call, handle) ? (int64_t)sizeof features : 0);
}

/* Files and commands of the host: there are none. */
static enum hart_call call_refused(struct call *call) {
    return fail(call, ERROR_NOT_SUPPORTED, -1);
}

static enum hart_call call_clock(struct call *call) {
    return answer(call, (int64_t)(board_now_ns(call->machine) / 10000000u));
}

/* Seconds since the epoch: a board without a set clock starts at the epoch. */
static enum hart_call call_time(struct call *call) {
    return answer(call, (int64_t)(board_now_ns(call->machine) / 1000000000u));
}

static enum hart_call call_elapsed(struct call *call) {
    uint8_t *at = writable_memory(call, call->parameter, 8);
    if (!at)
        return fail(call, ERROR_FAULT, -1);
    little_store(at, 8, board_cycle(call->machine));
    return answer(call, 0);
}

static enum hart_call call_tick_frequency(struct call *call) {
    uint64_t hz = call->machine->profile->clock_hz;
    return answer(call, call->word == 4 && hz > INT32_MAX ? -1 : (int64_t)hz);
}

static enum hart_call call_errno(struct call *call) {
    return answer(call, call->machine->semihosting.error);
}

static enum hart_call call_command_line(struct call *call) {
    const char *text = call->machine->semihosting.command_line ? call->machine->semihosting.command_line : "";
    uint64_t address, room;
    size_t length = strlen(text);
    uint8_t *length_at = writable_memory(call, call->parameter + call->word, call->word);
    if (!block_word(call, 0, &address) || !block_word(call, 1, &room) || !length_at || room < length + 1)
        return fail(call, ERROR_FAULT, -1);
    uint8_t *bytes = writable_memory(call, address, length + 1);
    if (!bytes)
        return fail(call, ERROR_FAULT, -1);
    memcpy(bytes, text, length + 1);
    little_store(length_at, call->word, length);
    return answer(call, 0);
}

/* All zero: the C library falls back to what its linker script says. */
static enum hart_call call_heap(struct call *call) {
    uint64_t address;
    uint8_t *at = block_word(call, 0, &address) ? writable_memory(call, address, 4u * call->word) : NULL;
    if (at)
        memset(at, 0, 4u * call->word);
    return CALL_DONE;
}

/* On RV32 the parameter is the reason itself and there is no code; the extended call and RV64 have a block. */
static enum hart_call end_program(struct call *call, bool block) {
    uint64_t reason = call->parameter, code = 0;
    if (block && (!block_word(call, 0, &reason) || !block_word(call, 1, &code)))
        return fail(call, ERROR_FAULT, -1);
    int exit_code = reason == STOPPED_EXIT ? (int)(code & 0xff) : 1;
    board_stop(call->machine, TA_STOP_ENDED, exit_code);
    return CALL_DONE;
}

static enum hart_call call_exit(struct call *call) {
    return end_program(call, call->word == 8);
}

static enum hart_call call_exit_extended(struct call *call) {
    return end_program(call, true);
}

static const struct {
    unsigned number;
    enum hart_call (*run)(struct call *call);
} calls[] = {
    {0x01, call_open},        {0x02, call_close},         {0x03, call_write_character}, {0x04, call_write_text},
    {0x05, call_write},       {0x06, call_read},          {0x07, call_read_character},  {0x08, call_is_error},
    {0x09, call_is_terminal}, {0x0a, call_seek},          {0x0c, call_length},          {0x0d, call_refused},
    {0x0e, call_refused},     {0x0f, call_refused},       {0x10, call_clock},           {0x11, call_time},
    {0x12, call_refused},     {0x13, call_errno},         {0x15, call_command_line},    {0x16, call_heap},
    {0x18, call_exit},        {0x20, call_exit_extended}, {0x30, call_elapsed},         {0x31, call_tick_frequency},
};

static bool neighbour_is(const struct ta_machine *machine, uint64_t address, uint32_t bits) {
    const uint8_t *at = bus_memory(&machine->bus, address, 4);
    return at && little_load(at, 4) == bits;
}

enum hart_call board_semihosting(void *with, struct hart *hart) {
    struct ta_machine *machine = with;
    uint64_t pc = hart->state.pc;
    if (!machine->semihosting.on || !neighbour_is(machine, pc - 4, ENTRY_NOP) ||
        !neighbour_is(machine, pc + 4, EXIT_NOP))
        return CALL_NONE;
    struct call call = {machine, hart, hart_x(hart, 11), hart->decoder.isa.xlen / 8};
    for (size_t i = 0; i < sizeof calls / sizeof *calls; ++i)
        if (calls[i].number == hart_x(hart, 10))
            return calls[i].run(&call);
    return call_refused(&call);
}

enum ta_status ta_machine_set_command_line(struct ta_machine *machine, const char *text) {
    char *copy = NULL;
    if (text) {
        size_t size = strlen(text) + 1;
        copy = malloc(size);
        if (!copy)
            return TA_E_MEMORY;
        memcpy(copy, text, size);
    }
    free(machine->semihosting.command_line);
    machine->semihosting.command_line = copy;
    return TA_OK;
}

void ta_machine_set_semihosting(struct ta_machine *machine, bool on) {
    machine->semihosting.on = on;
}
