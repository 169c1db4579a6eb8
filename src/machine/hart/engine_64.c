/* The engine of harts of 64 bits. */
#define XLEN    64
#define EXECUTE hart_execute_64
#include "machine/hart/engine.h"
