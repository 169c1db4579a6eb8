#include "recorded_board.h"

#include <stdlib.h>
#include <string.h>

/* A press counts as the recorded one when they are this near. */
enum { AT_ONCE_NS = 1000000 };

struct board {
    struct record *record;
    const struct ta_profile *profile;
    const struct ta_recording *run; /* null while it is off */
    size_t at, told;                /* the next moment, and how much of its text was told */
    uint64_t now_ns;
    bool running;
    const struct ta_moment *set[8]; /* inputs that were set and are not told yet */
    size_t set_count;
    uint8_t **memories; /* one a memory of the profile */
};

static enum ta_status refuse(struct ta_problem *why, enum ta_status status, const char *fix, const char *what) {
    return ta_problem_set(why, status, fix, "%s", what);
}

static enum ta_status need_power(const struct board *board, struct ta_problem *why) {
    return board->run ? TA_OK : refuse(why, TA_E_NO, "power it on first", "the recorded board is powered off");
}

static enum ta_status describe(void *self, const struct ta_profile **profile, struct ta_problem *why) {
    (void)why;
    *profile = ((struct board *)self)->profile;
    return TA_OK;
}

static enum ta_status power(void *self, bool on, struct ta_problem *why) {
    struct board *board = self;
    board->run = NULL;
    board->running = false;
    board->at = board->told = 0;
    board->now_ns = 0;
    board->set_count = 0;
    if (!on)
        return TA_OK;
    board->run = ta_report_recording(board->record->report, board->record->next);
    if (!board->run)
        return refuse(why, TA_E_PORT, "record another run", "the record is at its end");
    ++board->record->next;
    return TA_OK;
}

static enum ta_status reset(void *self, struct ta_problem *why) {
    struct board *board = self;
    board->running = false;
    return need_power(board, why);
}

static enum ta_status resume(void *self, struct ta_problem *why) {
    struct board *board = self;
    board->running = board->run != NULL;
    return need_power(board, why);
}

/* As much of a line as an event holds; its end comes with the last piece. */
static void tell_console(struct board *board, const struct ta_moment *moment, struct ta_event *event) {
    const char *rest = moment->text + board->told;
    size_t length = strlen(rest);
    event->length = length < sizeof event->bytes ? length : sizeof event->bytes - 1;
    memcpy(event->bytes, rest, event->length);
    board->told += event->length;
    if (event->length == length)
        event->bytes[event->length++] = '\n';
    board->at += event->length > length;
    board->told = event->length > length ? 0 : board->told;
}

static void tell(struct board *board, const struct ta_moment *moment, struct ta_event *event) {
    *event = (struct ta_event){.kind = moment->kind,
                               .hart = moment->hart,
                               .time_ns = moment->time_ns,
                               .value = moment->value,
                               .width = moment->width,
                               .cause = moment->cause,
                               .pc = moment->pc,
                               .stop = moment->stop,
                               .code = moment->code};
    board->now_ns = moment->time_ns;
    if (moment->kind == TA_EVENT_CONSOLE) {
        tell_console(board, moment, event);
        return;
    }
    memcpy(event->name, moment->text, strlen(moment->text) + 1);
    board->running = board->running && moment->kind != TA_EVENT_STOP;
    ++board->at;
}

static enum ta_status wait_for(void *self, uint64_t until_ns, struct ta_event *event, struct ta_problem *why) {
    struct board *board = self;
    enum ta_status status = need_power(board, why);
    if (status)
        return status;
    const struct ta_moment *moment = NULL;
    for (; board->at < board->run->moment_count; ++board->at) {
        moment = &board->run->moments[board->at];
        if (moment->kind != TA_EVENT_INPUT) /* inputs are told when somebody sets them */
            break;
    }
    bool more = board->at < board->run->moment_count && board->running && moment->time_ns <= until_ns;
    if (board->set_count) {
        const struct ta_moment *set = board->set[0];
        *event = (struct ta_event){.kind = TA_EVENT_INPUT, .time_ns = set->time_ns, .value = set->value};
        memcpy(event->name, set->text, strlen(set->text) + 1);
        memmove(board->set, board->set + 1, --board->set_count * sizeof *board->set);
    } else if (more) {
        tell(board, moment, event);
    } else {
        if (board->running && until_ns > board->now_ns)
            board->now_ns = until_ns;
        *event = (struct ta_event){.kind = TA_EVENT_TIME, .time_ns = board->now_ns};
    }
    return TA_OK;
}

static const struct ta_connector *connector_of(const struct board *board, const char *name, struct ta_problem *why) {
    const struct ta_connector *found = ta_profile_connector(board->profile, name);
    if (!found)
        ta_problem_set(why, TA_E_INPUT, "the profile lists the connectors", "there is no connector \"%s\"", name);
    return found;
}

/* Another press would have had other consequences: the record knows none. Letting go of what is not held has none. */
static enum ta_status set_input(void *self, const char *name, uint64_t value, struct ta_problem *why) {
    struct board *board = self;
    const struct ta_connector *connector = connector_of(board, name, why);
    const struct ta_moment *found = NULL;
    if (!connector)
        return TA_E_INPUT;
    for (size_t i = 0; board->run && !found && i < board->run->moment_count; ++i) {
        const struct ta_moment *moment = &board->run->moments[i];
        if (moment->kind == TA_EVENT_INPUT && moment->value == value && !strcmp(moment->text, name) &&
            moment->time_ns < board->now_ns + AT_ONCE_NS && moment->time_ns + AT_ONCE_NS > board->now_ns)
            found = moment;
    }
    if (!found && value && board->run)
        return ta_problem_set(why, TA_E_PORT, "record this run again", "nobody recorded %s at %llu ns", name,
                              (unsigned long long)board->now_ns);
    if (found && board->set_count < sizeof board->set / sizeof *board->set)
        board->set[board->set_count++] = found;
    return TA_OK;
}

static enum ta_status read_output(void *self, const char *name, uint64_t *value, struct ta_problem *why) {
    struct board *board = self;
    if (!connector_of(board, name, why))
        return TA_E_INPUT;
    *value = 0;
    for (size_t i = 0; board->run && i < board->at; ++i)
        if (board->run->moments[i].kind == TA_EVENT_OUTPUT && !strcmp(board->run->moments[i].text, name))
            *value = board->run->moments[i].value;
    return TA_OK;
}

/* Flash and RAM are there to be read and written; the record does not care what they hold. */
static uint8_t *bytes_at(struct board *board, enum ta_memory_kind kind, bool any, uint64_t address, size_t size,
                         struct ta_problem *why) {
    const struct ta_memory *memory = ta_profile_memory_at(board->profile, address, size);
    if (memory && (any || memory->kind == kind))
        return board->memories[memory - board->profile->memories] + (address - memory->base);
    refuse(why, TA_E_INPUT, "the profile lists the board's memory", "that is not within one memory");
    return NULL;
}

static enum ta_status read_memory(void *self, uint64_t address, void *bytes, size_t size, struct ta_problem *why) {
    const uint8_t *from = bytes_at(self, TA_MEMORY_RAM, true, address, size, why);
    if (from && size)
        memcpy(bytes, from, size);
    return from ? TA_OK : TA_E_INPUT;
}

static enum ta_status write_memory(void *self, uint64_t address, const void *bytes, size_t size,
                                   struct ta_problem *why) {
    uint8_t *to = bytes_at(self, TA_MEMORY_RAM, false, address, size, why);
    if (to && size)
        memcpy(to, bytes, size);
    return to ? TA_OK : TA_E_INPUT;
}

static enum ta_status program(void *self, uint64_t address, const void *bytes, size_t size, struct ta_problem *why) {
    uint8_t *to = bytes_at(self, TA_MEMORY_FLASH, false, address, size, why);
    if (to && size)
        memcpy(to, bytes, size);
    return to ? TA_OK : TA_E_INPUT;
}

static void close_board(void *self) {
    struct board *board = self;
    for (size_t i = 0; board->memories && i < board->profile->memory_count; ++i)
        free(board->memories[i]);
    free(board->memories);
    free(board);
}

enum ta_status recorded_board_open(struct record *record, const struct ta_profile *profile, struct ta_port *port,
                                   struct ta_problem *why) {
    struct board *board = calloc(1, sizeof *board);
    if (board)
        *board = (struct board){
            .record = record, .profile = profile, .memories = calloc(profile->memory_count + 1, sizeof(uint8_t *))};
    bool good = board && board->memories;
    for (size_t i = 0; good && i < profile->memory_count; ++i) {
        board->memories[i] = malloc(profile->memories[i].size_bytes);
        good = board->memories[i] != NULL;
        if (good) /* as erased flash is */
            memset(board->memories[i], 0xff, profile->memories[i].size_bytes);
    }
    if (!good) {
        if (board)
            close_board(board);
        return refuse(why, TA_E_MEMORY, NULL, "out of memory");
    }
    *port = (struct ta_port){
        .version = TA_PORT_VERSION,
        .capabilities = TA_CAN_POWER | TA_CAN_PROGRAM | TA_CAN_MEMORY | TA_CAN_INPUT | TA_CAN_OUTPUT | TA_CAN_TIME,
        .self = board,
        .describe = describe,
        .power = power,
        .reset = reset,
        .resume = resume,
        .halt = reset, /* it stands still, and goes on from there */
        .wait = wait_for,
        .read_memory = read_memory,
        .write_memory = write_memory,
        .program = program,
        .set_input = set_input,
        .read_output = read_output,
        .close = close_board,
    };
    return TA_OK;
}
