/* A fabric image: what a logic fabric is made to be. Numbers are little-endian, 32 bits each.

   0   "TAfb"
   4   the format's version, 1
   8   how many blocks
   12  how many bytes all of it has
   16  when it was built, in seconds since 1970, 64 bits
   24  its identity, 32 bytes: the SHA-256 of its description
   56  FNV-1a, 32 bits, over all that follows and what stands before, this taken as 0
   60  the blocks, each: kind, offset of its registers, and two numbers that the kind names */
#ifndef TAMEANCHOR_FABRIC_H
#define TAMEANCHOR_FABRIC_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

enum {
    TA_FABRIC_MAGIC = 0x62664154,
    TA_FABRIC_FORMAT = 1,
    TA_FABRIC_HEAD_BYTES = 60,
    TA_FABRIC_BLOCK_BYTES = 16,
    TA_FABRIC_BLOCKS = 32,
    TA_FABRIC_IDENTITY_BYTES = 32,
    TA_FABRIC_IMAGE_BYTES = TA_FABRIC_HEAD_BYTES + TA_FABRIC_BLOCKS * TA_FABRIC_BLOCK_BYTES,
    TA_FABRIC_WINDOW_BYTES = 0x10000,
    TA_FABRIC_IDENTITY_END = 0x100, /* the first registers tell what is loaded; blocks stand behind them */
};

/* What a block is, and what its two numbers say. */
#define TA_FABRIC_KIND_TABLE(X)                                                                                        \
    X(TA_FABRIC_REGISTERS, "registers") /* FIRST of them, 1 to 256, that hold what is written */                       \
    X(TA_FABRIC_COUNTER, "counter")     /* VALUE at 0 counts FIRST times a second from 0 at power-on; LIMIT at 4 */    \
    X(TA_FABRIC_AVERAGE, "average")     /* of the last FIRST numbers, 1 to 64, written to 0; read at 4 */

enum ta_fabric_kind {
    TA_FABRIC_NONE,
#define TA_FABRIC_KIND_ENUM(name, text) name,
    TA_FABRIC_KIND_TABLE(TA_FABRIC_KIND_ENUM)
#undef TA_FABRIC_KIND_ENUM
        TA_FABRIC_KINDS
};

struct ta_fabric_block {
    enum ta_fabric_kind kind;
    uint32_t offset, first, second;
};

struct ta_fabric_image {
    struct ta_fabric_block blocks[TA_FABRIC_BLOCKS];
    size_t count;
    uint64_t built_s;
    uint8_t identity[TA_FABRIC_IDENTITY_BYTES];
};

/* How many bytes of registers a block takes; 0 for one that cannot be. */
uint32_t ta_fabric_block_bytes(const struct ta_fabric_block *block);

/* Whether two blocks share registers. */
bool ta_fabric_blocks_meet(const struct ta_fabric_block *one, const struct ta_fabric_block *other);

/* Reads an image from its bytes, of which there are LENGTH or more; false when it is none, is damaged, or has blocks that overlap. */
bool ta_fabric_read(const uint8_t *bytes, size_t length, struct ta_fabric_image *image);

/* Writes IMAGE, whose blocks are sound; how many bytes it has. */
size_t ta_fabric_write(const struct ta_fabric_image *image, uint8_t bytes[TA_FABRIC_IMAGE_BYTES]);

#ifdef __cplusplus
}
#endif
#endif
