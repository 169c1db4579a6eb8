/* Writing to the board's flash. Erasing a sector sets all its bits, programming clears those that are 0. What is under way when the power goes
   is half done: keep a check beside what you write. */
#ifndef STRAND_FLASH_H
#define STRAND_FLASH_H

#include <stdint.h>

enum { STRAND_FLASH_SECTOR = 4096, STRAND_FLASH_PAGE = 256 };

/* Erases the sector that ADDRESS lies in, in 16 ms. 0, or -1 when that is no flash. */
int strand_flash_erase(uintptr_t address);

/* Programs a page, whose ADDRESS is a multiple of its size, in less than a millisecond. 0, or -1. */
int strand_flash_program(uintptr_t address, const uint8_t bytes[STRAND_FLASH_PAGE]);

/* How often the sector that ADDRESS lies in was erased in its life. */
uint32_t strand_flash_wear(uintptr_t address);

#endif
