/* Random numbers. */
#ifndef STRAND_ENTROPY_H
#define STRAND_ENTROPY_H

#include <stdint.h>

void strand_entropy_open(void);
uint32_t strand_entropy(void);

#endif
