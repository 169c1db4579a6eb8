/* The board that fuzz targets share: two harts of two widths, all built-in devices. */
#ifndef FUZZ_BOARD_H
#define FUZZ_BOARD_H

#include "tameanchor/snapshot.h"

enum { RAM = 0x10000000, RAM_BYTES = 0x4000 };

/* A machine of it, powered on. */
struct ta_machine *fuzz_board(void);

#endif
