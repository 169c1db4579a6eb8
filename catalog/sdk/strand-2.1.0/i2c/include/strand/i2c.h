/* The two-wire bus that sensors hang on. Addresses are BOARD_..._ADDRESS of board.h. */
#ifndef STRAND_I2C_H
#define STRAND_I2C_H

#include <stdint.h>

/* Turns the bus on, at 400 kHz. */
void strand_i2c_open(void);

/* Puts VALUE into register AT of the part at ADDRESS. 0, or -1 when nobody answers there. */
int strand_i2c_write(unsigned address, uint8_t at, uint8_t value);

/* Reads COUNT registers from AT on, 1 or more. 0, or -1 when nobody answers there. */
int strand_i2c_read(unsigned address, uint8_t at, uint8_t *bytes, unsigned count);

#endif
