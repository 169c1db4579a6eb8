/* Register numbers: those of GDB's RISC-V target description. 0 to 31 are x0 to x31; TA_REGISTER_PC; f0 to f31
   from TA_REGISTER_F on; then CSR n at TA_REGISTER_CSR + n. */
#ifndef TAMEANCHOR_REGISTERS_H
#define TAMEANCHOR_REGISTERS_H

enum { TA_REGISTER_PC = 32, TA_REGISTER_F = 33, TA_REGISTER_CSR = 65 };

#endif
