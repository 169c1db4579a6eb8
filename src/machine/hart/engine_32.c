/* The engine of harts of 32 bits. */
#define XLEN    32
#define EXECUTE hart_execute_32
#include "machine/hart/engine.h"
