/* The bus with a wire each way. */
#ifndef STRAND_SPI_H
#define STRAND_SPI_H

#include <stdint.h>

/* Turns the bus on, at SPEED_HZ at the most. */
void strand_spi_open(uint32_t speed_hz);

/* Selects PART, 0 to 7, or none with -1. */
void strand_spi_select(int part);

/* Sends BYTE; the byte that comes in meanwhile. */
uint8_t strand_spi_exchange(uint8_t byte);

#endif
