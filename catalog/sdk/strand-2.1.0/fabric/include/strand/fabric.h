/* The board's logic fabric. Where its blocks are, fabric.h says, which the build makes of the project's description. */
#ifndef STRAND_FABRIC_H
#define STRAND_FABRIC_H

#include <stdbool.h>
#include <stdint.h>

/* Whether the fabric is loaded; a blank one reads 0 everywhere. */
bool strand_fabric_loaded(void);

/* Whether it is loaded with what EXPECTED identifies (FABRIC_IDENTITY of fabric.h). */
enum { STRAND_FABRIC_IDENTITY_BYTES = 32 };
bool strand_fabric_is(const uint8_t expected[STRAND_FABRIC_IDENTITY_BYTES]);

/* The identity that it carries, and when it was built, in seconds since 1970. */
void strand_fabric_identity(uint8_t identity[STRAND_FABRIC_IDENTITY_BYTES]);
int64_t strand_fabric_built(void);

/* Registers of a block at BASE (FABRIC_..._BASE of fabric.h). A counter counts at its rate, anew from LIMIT unless that is 0; an average is of
   the last numbers that were added. */
uint32_t strand_fabric_register(uintptr_t base, unsigned index);
void strand_fabric_set(uintptr_t base, unsigned index, uint32_t value);
uint32_t strand_fabric_count(uintptr_t base);
void strand_fabric_limit(uintptr_t base, uint32_t limit);
void strand_fabric_add(uintptr_t base, uint32_t number);
uint32_t strand_fabric_mean(uintptr_t base);

#endif
