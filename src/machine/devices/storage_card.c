/* A storage card on an SPI bus, as the SD Physical Layer Simplified Specification tells it in chapter 7: commands of six bytes, answers that
   begin when they are ready, blocks of 512 bytes behind a token, addressed by their number. It takes a millisecond to write a block, an
   eighth of it at a time: when the power goes, or the card, the block is written so far.

   Option: `blocks` (8192). The switch `card lock` of the desk, at `locked`, makes it refuse to write. */
#include "machine/models.h"

#include <string.h>

enum { BLOCK = TA_CARD_BLOCK, PART = 64, PARTS_PER_S = 8000, COMMAND_BYTES = 6, ANSWER_ROOM = 20, WAIT = 1 };
enum { IDLE = 0x01, ILLEGAL = 0x04, CRC_ERROR = 0x08, BEYOND = 0x40 }; /* of R1 (7.3.2.1) */
enum { TOKEN = 0xfe, ACCEPTED = 0x05, WRITE_ERROR = 0x0d };            /* 7.3.3 */
enum { GO_IDLE = 0, SEND_CONDITION = 8, SEND_CSD = 9, SEND_CID = 10, STOP_TRANSMISSION = 12, SEND_STATUS = 13 };
enum { SET_LENGTH = 16, READ_BLOCK = 17, WRITE_BLOCK = 24, START = 41, APPLICATION = 55, READ_OCR = 58 };

/* What it does with the bytes that come in. */
enum { LISTENS, AWAITS_TOKEN, TAKES_BLOCK, TAKES_CHECK, PHASES };

struct storage_card {
    uint32_t block;   /* that is read or written */
    uint32_t written; /* bytes of it */
    uint16_t at;      /* in what is taken, or what is answered of a block */
    uint8_t inserted, selected, phase, ready, tries, application;
    uint8_t command[COMMAND_BYTES], got;
    uint8_t answer[ANSWER_ROOM], answer_length, answer_at;
    uint8_t gives_block, busy, check;
    uint8_t bytes[BLOCK];
};

static uint32_t blocks_of(const struct ta_device *device) {
    return (uint32_t)(ta_device_card_bytes(device) / BLOCK);
}

/* Of the answers that begin with it: the state. */
static uint8_t r1(const struct storage_card *card, uint8_t errors) {
    return (uint8_t)((card->ready ? 0 : IDLE) | errors);
}

/* A byte's time passes before an answer. */
static void answer(struct storage_card *card, const uint8_t *bytes, unsigned length) {
    memset(card->answer, 0xff, WAIT);
    memcpy(card->answer + WAIT, bytes, length);
    card->answer_length = (uint8_t)(WAIT + length);
    card->answer_at = 0;
}

static void answer_r1(struct storage_card *card, uint8_t errors) {
    const uint8_t state = r1(card, errors);
    answer(card, &state, 1);
}

/* Sixteen bytes behind a token, with what would be their check. */
static void answer_register(struct storage_card *card, const uint8_t bytes[16]) {
    uint8_t all[2 + 16 + 2] = {0};
    all[0] = r1(card, 0);
    all[1] = TOKEN;
    memcpy(all + 2, bytes, 15); /* the last byte is a check that nobody asks for here */
    answer(card, all, ANSWER_ROOM - WAIT);
}

/* CRC-7 (4.5): commands are checked until the card is ready. */
static uint8_t check_of(const uint8_t *bytes, unsigned length) {
    unsigned crc = 0;
    for (unsigned i = 0; i < length * 8; ++i) {
        crc = crc << 1 | (bytes[i / 8] >> (7 - i % 8) & 1);
        crc = crc & 0x80 ? crc ^ 0x89 : crc;
    }
    for (unsigned i = 0; i < 7; ++i)
        crc = crc << 1 & 0x80 ? (crc << 1) ^ 0x89 : crc << 1;
    return (uint8_t)(crc << 1 | 1);
}

static void begin_block(struct storage_card *card, const struct ta_slot *slot, uint32_t block, bool writes) {
    bool there = block < blocks_of(ta_slot_config(slot));
    answer_r1(card, card->ready ? there ? 0 : BEYOND : ILLEGAL);
    card->block = there ? block : 0;
    card->at = 0;
    card->gives_block = card->ready && there && !writes;
    card->phase = card->ready && there && writes ? AWAITS_TOKEN : LISTENS;
}

static void carry_out(struct storage_card *card, struct ta_slot *slot) {
    const uint8_t *command = card->command;
    uint8_t number = command[0] & 0x3f, application = card->application;
    uint32_t argument =
        (uint32_t)command[1] << 24 | (uint32_t)command[2] << 16 | (uint32_t)command[3] << 8 | command[4];
    uint32_t units = blocks_of(ta_slot_config(slot)) / 1024; /* of 512 KiB, as the register has it; one less */
    card->application = 0;
    card->gives_block = 0;
    if (!card->ready && (number == GO_IDLE || number == SEND_CONDITION) && check_of(command, 5) != command[5]) {
        answer_r1(card, CRC_ERROR);
        return;
    }
    switch (number) {
    case GO_IDLE:
        card->ready = card->tries = 0;
        answer_r1(card, 0);
        break;
    case SEND_CONDITION: answer(card, (const uint8_t[]){r1(card, 0), 0, 0, command[3] & 0x0f, command[4]}, 5); break;
    case APPLICATION:
        card->application = 1;
        answer_r1(card, 0);
        break;
    case START:
        card->tries = (uint8_t)(card->tries + (card->tries < 2));
        card->ready = application && card->tries == 2; /* it takes its time */
        answer_r1(card, application ? 0 : ILLEGAL);
        break;
    case READ_OCR: answer(card, (const uint8_t[]){r1(card, 0), card->ready ? 0xc0 : 0, 0xff, 0x80, 0}, 5); break;
    case SEND_STATUS: answer(card, (const uint8_t[]){r1(card, 0), 0}, 2); break;
    case SEND_CSD:
        units = units ? units - 1 : 0;
        answer_register(card,
                        (const uint8_t[16]){0x40, 0x0e, 0x00, 0x32, 0x5b, 0x59, 0x00, (uint8_t)(units >> 16 & 0x3f),
                                            (uint8_t)(units >> 8), (uint8_t)units, 0x7f, 0x80, 0x0a, 0x40, 0, 0});
        break;
    case SEND_CID:
        answer_register(card,
                        (const uint8_t[16]){0x00, 'T', 'A', 'T', 'I', 'D', 'E', '0', 0x10, 0, 0, 0, 1, 0x01, 0x9b, 0});
        break;
    case SET_LENGTH: answer_r1(card, card->ready && argument == BLOCK ? 0 : ILLEGAL); break;
    case STOP_TRANSMISSION: answer_r1(card, 0); break;
    case READ_BLOCK: begin_block(card, slot, argument, false); break;
    case WRITE_BLOCK: begin_block(card, slot, argument, true); break;
    default: answer_r1(card, ILLEGAL);
    }
}

static bool is_locked(const struct ta_slot *slot) {
    const char *lock = ta_slot_switch(slot, "card lock");
    return lock && !strcmp(lock, "locked");
}

static void take_block(struct storage_card *card, struct ta_slot *slot) {
    uint8_t said = is_locked(slot) ? WRITE_ERROR : ACCEPTED;
    card->phase = LISTENS;
    card->answer[0] = said;
    card->answer_length = 1;
    card->answer_at = 0;
    if (said != ACCEPTED)
        return;
    card->busy = 1;
    card->written = 0;
    ta_slot_wake_at(slot, ta_slot_now(slot) + 1 + ta_slot_clock_hz(slot) / PARTS_PER_S);
}

static void card_wake(void *state, struct ta_slot *slot) {
    struct storage_card *card = state;
    if (!card->busy)
        return;
    ta_slot_store_write(slot, (uint64_t)card->block * BLOCK + card->written, card->bytes + card->written, PART);
    card->written += PART;
    card->busy = card->written < BLOCK;
    if (card->busy)
        ta_slot_wake_at(slot, ta_slot_now(slot) + 1 + ta_slot_clock_hz(slot) / PARTS_PER_S);
}

/* What comes out while a byte comes in. */
static uint8_t give(struct storage_card *card, struct ta_slot *slot) {
    if (card->answer_at < card->answer_length)
        return card->answer[card->answer_at++];
    if (card->busy)
        return 0x00;
    if (!card->gives_block)
        return 0xff;
    if (!card->at++)
        return TOKEN;
    if (card->at == 2)
        ta_slot_store_read(slot, (uint64_t)card->block * BLOCK, card->bytes, BLOCK);
    if (card->at < BLOCK + 2)
        return card->bytes[card->at - 2];
    card->gives_block = card->at < BLOCK + 3;
    return 0xff; /* a check that nobody asked for */
}

static void take(struct storage_card *card, struct ta_slot *slot, uint8_t byte) {
    switch (card->phase) {
    case AWAITS_TOKEN:
        card->phase = byte == TOKEN ? TAKES_BLOCK : AWAITS_TOKEN;
        card->at = 0;
        return;
    case TAKES_BLOCK:
        card->bytes[card->at++] = byte;
        card->phase = card->at < BLOCK ? TAKES_BLOCK : TAKES_CHECK;
        card->check = 0;
        return;
    case TAKES_CHECK:
        if (++card->check == 2)
            take_block(card, slot);
        return;
    default: break;
    }
    if (card->busy || (!card->got && (byte & 0xc0) != 0x40))
        return; /* no command begins so */
    card->command[card->got++] = byte;
    if (card->got < COMMAND_BYTES)
        return;
    card->got = 0;
    carry_out(card, slot);
}

static void deselect(struct storage_card *card) {
    card->selected = card->got = card->answer_at = card->answer_length = card->gives_block = 0;
    card->phase = LISTENS;
}

static bool card_transfer(void *state, struct ta_slot *slot, enum ta_transfer step, uint8_t *byte) {
    struct storage_card *card = state;
    if (step == TA_TRANSFER_STOP)
        deselect(card);
    if (!card->inserted)
        return false;
    if (step == TA_TRANSFER_WRITES)
        card->selected = 1;
    if (step == TA_TRANSFER_EXCHANGE && card->selected) {
        uint8_t given = give(card, slot);
        take(card, slot, *byte);
        *byte = given;
    }
    return step != TA_TRANSFER_EXCHANGE || card->selected;
}

/* A card that is pulled out loses its power. */
static void card_sensed(void *state, struct ta_slot *slot, unsigned pin, uint64_t value) {
    struct storage_card *card = state;
    (void)pin;
    if (card->inserted == (value != 0))
        return;
    *card = (struct storage_card){.inserted = value != 0};
    ta_slot_wake_at(slot, UINT64_MAX);
}

static void card_reset(void *state, struct ta_slot *slot) {
    struct storage_card *card = state;
    (void)slot;
    *card = (struct storage_card){.inserted = card->inserted};
}

static void card_keep(void *state, struct ta_keeper *keeper) {
    struct storage_card *card = state;
    uint8_t *const flags[] = {&card->inserted,      &card->selected,    &card->phase, &card->ready,
                              &card->tries,         &card->application, &card->got,   &card->answer_at,
                              &card->answer_length, &card->gives_block, &card->busy,  &card->check};
    TA_KEEP(keeper, card->block);
    TA_KEEP(keeper, card->written);
    TA_KEEP(keeper, card->at);
    for (size_t i = 0; i < sizeof flags / sizeof *flags; ++i)
        TA_KEEP(keeper, *flags[i]);
    TA_KEEP_ALL(keeper, card->command);
    TA_KEEP_ALL(keeper, card->answer);
    TA_KEEP_ALL(keeper, card->bytes);
}

static bool card_is_sound(const void *state, const struct ta_slot *slot) {
    const struct storage_card *card = state;
    return card->block < blocks_of(ta_slot_config(slot)) && card->written <= BLOCK && card->written % PART == 0 &&
           card->at <= BLOCK + 3 && card->phase < PHASES && card->got < COMMAND_BYTES &&
           card->answer_length <= ANSWER_ROOM && (card->phase != TAKES_BLOCK || card->at < BLOCK);
}

const struct ta_device_kind model_storage_card = {
    .version = TA_DEVICE_VERSION,
    .model = "storage-card",
    .summary = "a storage card on an SPI bus (SD)",
    .state_bytes = sizeof(struct storage_card),
    .reset = card_reset,
    .wake = card_wake,
    .sensed = card_sensed,
    .transfer = card_transfer,
    .store_bytes = ta_device_card_bytes,
    .keep = card_keep,
    .is_sound = card_is_sound,
};
