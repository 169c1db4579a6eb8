#include "strand/card.h"

#include <board.h>
#include <strand/clock.h>
#include <strand/spi.h>

/* SD Physical Layer Simplified Specification, chapter 7. */
enum {
    SLOW_HZ = 400000,
    FAST_HZ = 25000000,
    PATIENCE_US = 500000,
    COMMAND_TRIES = 8,
    IDLE = 1,
    BEYOND = 0x40,
    TOKEN = 0xfe
};
enum { GO_IDLE = 0, SEND_CONDITION = 8, SEND_CSD = 9, READ_BLOCK = 17, WRITE_BLOCK = 24, START = 41, APPLICATION = 55 };
enum { CHECK_GO_IDLE = 0x95, CHECK_CONDITION = 0x87, NOTHING = 0xff, CSD_BYTES = 16, ACCEPTED = 0x05, ANSWER = 0x1f };

/* Its first answer, or NOTHING when nobody answers. The card stays selected. */
static uint8_t command(uint8_t number, uint32_t argument, uint8_t check) {
    const uint8_t bytes[] = {0x40 | number,
                             (uint8_t)(argument >> 24),
                             (uint8_t)(argument >> 16),
                             (uint8_t)(argument >> 8),
                             (uint8_t)argument,
                             check};
    strand_spi_select(-1);
    strand_spi_select(BOARD_CARD0_ADDRESS);
    for (unsigned i = 0; i < sizeof bytes; ++i)
        strand_spi_exchange(bytes[i]);
    for (unsigned i = 0; i < COMMAND_TRIES; ++i) {
        uint8_t answer = strand_spi_exchange(NOTHING);
        if (!(answer & 0x80))
            return answer;
    }
    return NOTHING;
}

/* Waits for another byte than WHILE_IS; 0 when it does not come. */
static int await_other(uint8_t while_is, uint8_t *byte) {
    uint64_t end_us = strand_clock_us() + PATIENCE_US;
    do
        *byte = strand_spi_exchange(NOTHING);
    while (*byte == while_is && strand_clock_us() < end_us);
    return *byte != while_is;
}

/* What follows the token. */
static enum strand_card take(uint8_t *bytes, unsigned count) {
    uint8_t token;
    if (!await_other(NOTHING, &token) || token != TOKEN)
        return STRAND_CARD_NONE;
    for (unsigned i = 0; i < count; ++i)
        bytes[i] = strand_spi_exchange(NOTHING);
    strand_spi_exchange(NOTHING);
    strand_spi_exchange(NOTHING);
    return STRAND_CARD_DONE;
}

enum strand_card strand_card_open(uint32_t *blocks) {
    uint8_t csd[CSD_BYTES], answer;
    uint64_t end_us = strand_clock_us() + PATIENCE_US;
    *blocks = 0;
    strand_spi_open(SLOW_HZ);
    strand_spi_select(-1);
    for (unsigned i = 0; i < 10; ++i) /* it wants 74 clocks before anything else */
        strand_spi_exchange(NOTHING);
    if (command(GO_IDLE, 0, CHECK_GO_IDLE) != IDLE || command(SEND_CONDITION, 0x1aa, CHECK_CONDITION) != IDLE)
        return STRAND_CARD_NONE;
    do {
        command(APPLICATION, 0, NOTHING);
        answer = command(START, UINT32_C(1) << 30, NOTHING);
    } while (answer == IDLE && strand_clock_us() < end_us);
    if (answer || command(SEND_CSD, 0, NOTHING) || take(csd, CSD_BYTES))
        return STRAND_CARD_NONE;
    *blocks = (((uint32_t)(csd[7] & 0x3f) << 16 | (uint32_t)csd[8] << 8 | csd[9]) + 1) * 1024;
    strand_spi_open(FAST_HZ);
    return STRAND_CARD_DONE;
}

enum strand_card strand_card_read(uint32_t block, uint8_t bytes[STRAND_CARD_BLOCK]) {
    uint8_t answer = command(READ_BLOCK, block, NOTHING);
    return answer ? answer == BEYOND ? STRAND_CARD_BEYOND : STRAND_CARD_NONE : take(bytes, STRAND_CARD_BLOCK);
}

enum strand_card strand_card_write(uint32_t block, const uint8_t bytes[STRAND_CARD_BLOCK]) {
    uint8_t answer = command(WRITE_BLOCK, block, NOTHING);
    if (answer)
        return answer == BEYOND ? STRAND_CARD_BEYOND : STRAND_CARD_NONE;
    strand_spi_exchange(NOTHING);
    strand_spi_exchange(TOKEN);
    for (unsigned i = 0; i < STRAND_CARD_BLOCK; ++i)
        strand_spi_exchange(bytes[i]);
    strand_spi_exchange(NOTHING);
    strand_spi_exchange(NOTHING);
    if (!await_other(NOTHING, &answer))
        return STRAND_CARD_NONE;
    if ((answer & ANSWER) != ACCEPTED)
        return STRAND_CARD_LOCKED;
    return await_other(0, &answer) ? STRAND_CARD_DONE : STRAND_CARD_NONE; /* busy */
}
