/* Two ways from one instruction to the next: jumps to addresses where the compiler has them, a switch elsewhere. CSRs, atomics, and
   floating point but its loads and stores, have one place for all of their kind. */
#if defined(__GNUC__) && !defined(TA_STRICT_DISPATCH)
#pragma GCC diagnostic ignored "-Wpedantic"
#define DISPATCH             goto * op->at
#define ON(name)             at_##name:
#define LABEL_OF_NONE(name)  &&at_##name
#define LABEL_OF_R(name)     &&at_##name
#define LABEL_OF_UNARY(name) &&at_##name
#define LABEL_OF_I(name)     &&at_##name
#define LABEL_OF_S(name)     &&at_##name
#define LABEL_OF_B(name)     &&at_##name
#define LABEL_OF_U(name)     &&at_##name
#define LABEL_OF_J(name)     &&at_##name
#define LABEL_OF_SHIFT(name) &&at_##name
#define LABEL_OF_CSR(name)   &&any_csr
#define LABEL_OF_CSRI(name)  &&any_csr
#define LABEL_OF_A(name)     &&any_atomic
#define LABEL_OF_FI(name)    &&at_##name
#define LABEL_OF_FS(name)    &&at_##name
#define LABEL_OF_FR(name)    &&any_float
#define LABEL_OF_FA(name)    &&at_##name
#define LABEL_OF_FR4(name)   &&any_float
#define LABEL_OF_XF(name)    &&any_float
#define LABEL_OF_FX(name)    &&any_float_to_x
#define LABEL_IN_BOTH(label) label
#if XLEN == 32
#define LABEL_IN_32(label) label
#define LABEL_IN_64(label) &&illegal
#else
#define LABEL_IN_32(label) &&illegal
#define LABEL_IN_64(label) label
#endif
#define LABEL(name, mnemonic, mask, match, format, widths, extensions) LABEL_IN_##widths(LABEL_OF_##format(name)),
#define ADDRESSES                                                                                                      \
    static const void *const addresses[OPERATION_COUNT] = {                                                            \
        &&illegal,         INSTRUCTION_TABLE(LABEL) && at_FORWARD_BEQ,                                                 \
        &&at_FORWARD_BNE,  &&at_FORWARD_BLT,                                                                           \
        &&at_FORWARD_BGE,  &&at_FORWARD_BLTU,                                                                          \
        &&at_FORWARD_BGEU, &&at_AGAIN_BEQ,                                                                             \
        &&at_AGAIN_BNE,    &&at_AGAIN_BLT,                                                                             \
        &&at_AGAIN_BGE,    &&at_AGAIN_BLTU,                                                                            \
        &&at_AGAIN_BGEU,   &&at_AGAIN_JAL,                                                                             \
        &&at_CONTINUE,     &&at_BREAKPOINT,                                                                            \
        &&at_STALE};
#else
#define DISPATCH  goto dispatch
#define ON(name)  case OP_##name:
#define ADDRESSES static const void *const addresses[OPERATION_COUNT] = {0};
#endif
#define NEXT                                                                                                           \
    do {                                                                                                               \
        ++op;                                                                                                          \
        DISPATCH;                                                                                                      \
    } while (0)
