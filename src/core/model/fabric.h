/* A fabric image: what a logic fabric is made to be. Numbers are little-endian, 32 bits each.

   0   "TAfb"
   4   the format's version, 1
   8   how many blocks
   12  how many bytes all of it has
   16  when it was built, in seconds since 1970, 64 bits
   24  its identity, 32 bytes: the SHA-256 of its description
   56  FNV-1a, 32 bits, over all that follows and what stands before, this taken as 0
   60  the blocks, each: kind, offset of its registers, and two numbers that the kind names */
#ifndef TA_CORE_MODEL_FABRIC_H
#define TA_CORE_MODEL_FABRIC_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum {
    FABRIC_MAGIC = 0x62664154,
    FABRIC_FORMAT = 1,
    FABRIC_HEAD_BYTES = 60,
    FABRIC_BLOCK_BYTES = 16,
    FABRIC_BLOCKS = 32,
    FABRIC_IDENTITY_BYTES = 32,
    FABRIC_IMAGE_BYTES = FABRIC_HEAD_BYTES + FABRIC_BLOCKS * FABRIC_BLOCK_BYTES,
    FABRIC_WINDOW_BYTES = 0x10000,
    FABRIC_IDENTITY_END = 0x100, /* the first registers tell what is loaded; blocks stand behind them */
};

/* What a block is, and what its two numbers say. */
#define FABRIC_KIND_TABLE(X)                                                                                           \
    X(FABRIC_REGISTERS, "registers") /* FIRST of them, 1 to 256, that hold what is written */                          \
    X(FABRIC_COUNTER, "counter")     /* VALUE at 0 counts FIRST times a second from 0 at power-on; LIMIT at 4 */       \
    X(FABRIC_AVERAGE, "average")     /* of the last FIRST numbers, 1 to 64, written to 0; read at 4 */

enum fabric_kind {
    FABRIC_NONE,
#define FABRIC_KIND_ENUM(name, text) name,
    FABRIC_KIND_TABLE(FABRIC_KIND_ENUM)
#undef FABRIC_KIND_ENUM
        FABRIC_KINDS
};

struct fabric_block {
    enum fabric_kind kind;
    uint32_t offset, first, second;
};

struct fabric_image {
    struct fabric_block blocks[FABRIC_BLOCKS];
    size_t count;
    uint64_t built_s;
    uint8_t identity[FABRIC_IDENTITY_BYTES];
};

/* How many bytes of registers a block takes; 0 for one that cannot be. */
uint32_t fabric_block_bytes(const struct fabric_block *block);

/* Reads an image from its bytes, of which there are LENGTH or more; false when it is none, is damaged, or has blocks that overlap. */
bool fabric_read(const uint8_t *bytes, size_t length, struct fabric_image *image);

/* Writes IMAGE, whose blocks are sound; how many bytes it has. */
size_t fabric_write(const struct fabric_image *image, uint8_t bytes[FABRIC_IMAGE_BYTES]);

#endif
