#include "strand/sensors.h"

#include "strand/i2c.h"

#include <board.h>

/* Registers that both parts have alike, and where their values begin. */
enum { WHO = 0, CONTROL = 1, VALUES = 2, ON = 1, COMPASS = 0x43, MOTION = 0x4d };

static int open_part(unsigned address, uint8_t expected) {
    uint8_t who;
    return strand_i2c_read(address, WHO, &who, 1) || who != expected || strand_i2c_write(address, CONTROL, ON) ? -1 : 0;
}

int strand_sensors_open(void) {
    strand_i2c_open();
    return open_part(BOARD_COMPASS0_ADDRESS, COMPASS) || open_part(BOARD_MOTION0_ADDRESS, MOTION) ? -1 : 0;
}

static int value_at(const uint8_t *bytes) {
    return (int16_t)(bytes[0] | bytes[1] << 8);
}

int strand_heading(void) {
    uint8_t bytes[2];
    return strand_i2c_read(BOARD_COMPASS0_ADDRESS, VALUES, bytes, sizeof bytes) ? -1 : value_at(bytes);
}

int strand_motion(struct strand_motion *motion) {
    uint8_t bytes[12];
    if (strand_i2c_read(BOARD_MOTION0_ADDRESS, VALUES, bytes, sizeof bytes))
        return -1;
    for (unsigned i = 0; i < 3; ++i) {
        motion->acceleration[i] = value_at(bytes + 2 * i);
        motion->rotation[i] = value_at(bytes + 6 + 2 * i);
    }
    return 0;
}
