/* How the engine loads and stores: through the window, where most data is; else through the page that is known; else the long way, after
   which the state is that before the instruction. */

/* True when SIZE bytes from OFFSET on are aligned and lie in the window, whose ends are: without one its size is 0. */
#define IN_WINDOW(offset, size) ((offset) < window_size && !((offset) & (word)((size)-1)))
#define LOAD(type, bits)                                                                                               \
    do {                                                                                                               \
        word address = RS1 + IMMEDIATE, offset = address - window_base;                                                \
        if (MOSTLY(IN_WINDOW(offset, 1 << (bits))))                                                                    \
            SET((sword)(type)little_load(window + offset, 1 << (bits)));                                               \
        const uint8_t *known = hart_known(hart, address, 1 << (bits));                                                 \
        if (known)                                                                                                     \
            SET((sword)(type)little_load(known, 1 << (bits)));                                                         \
        SYNC();                                                                                                        \
        if (!hart_load(hart, address, 1 << (bits), &loaded))                                                           \
            goto trapped;                                                                                              \
        x[op->rd] = (word)(sword)(type)loaded;                                                                         \
        goto reached;                                                                                                  \
    } while (0)
#define STORE(bits, value)                                                                                             \
    do {                                                                                                               \
        word address = RS1 + IMMEDIATE, offset = address - window_base;                                                \
        if (MOSTLY(IN_WINDOW(offset, 1 << (bits)) && window_flags[offset >> PAGE_BITS] == PAGE_TOUCHED)) {             \
            little_store(window + offset, 1 << (bits), value);                                                         \
            NEXT;                                                                                                      \
        }                                                                                                              \
        uint8_t *known = hart_known_to_store(hart, address, 1 << (bits));                                              \
        if (known) {                                                                                                   \
            little_store(known, 1 << (bits), value);                                                                   \
            NEXT;                                                                                                      \
        }                                                                                                              \
        SYNC();                                                                                                        \
        if (!hart_store(hart, address, 1 << (bits), value))                                                            \
            goto trapped;                                                                                              \
        goto reached;                                                                                                  \
    } while (0)
#define NEED_FLOAT()                                                                                                   \
    do {                                                                                                               \
        if (!(state->mstatus & MSTATUS_FS))                                                                            \
            goto illegal;                                                                                              \
        state->mstatus |= MSTATUS_FS;                                                                                  \
    } while (0)

#define LOAD_FLOAT(size, box)                                                                                          \
    do {                                                                                                               \
        word address = RS1 + IMMEDIATE, offset = address - window_base;                                                \
        NEED_FLOAT();                                                                                                  \
        if (MOSTLY(IN_WINDOW(offset, size))) {                                                                         \
            state->f[op->rd] = little_load(window + offset, size) | (box);                                             \
            NEXT;                                                                                                      \
        }                                                                                                              \
        SYNC();                                                                                                        \
        if (!hart_load(hart, address, size, &loaded))                                                                  \
            goto trapped;                                                                                              \
        state->f[op->rd] = loaded | (box);                                                                             \
        goto reached;                                                                                                  \
    } while (0)
