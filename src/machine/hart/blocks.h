/* Blocks of decoded instructions: runs of code without a jump inside, linked to those that follow them. */
#ifndef TA_MACHINE_HART_BLOCKS_H
#define TA_MACHINE_HART_BLOCKS_H

#include "machine/hart/decode.h"
#include "tameanchor/status.h"

#include <stddef.h>

enum {
    BLOCK_OPS = 64,          /* at most; without the one that continues */
    BLOCK_LOOKUP = 1 << 14,  /* entries by address */
    BLOCK_PAGES = 256,       /* lists of the blocks that begin in a page, by its number */
    BLOCK_CHUNK = 256 << 10, /* bytes that are asked for at once */
    BLOCK_CHUNKS = 24,       /* at most; then all is forgotten */
    BLOCK_STALE_MOST = 256   /* the same */
};

/* The engine counts instructions in the lower bits, cycles above, so many of them at once. */
enum { COUNT_BITS = 24, CYCLES_AT_ONCE = 1 << 23 };

/* KEY is the address, and 1 with it in user mode; an instruction's address is even. */
#define BLOCK_NO_KEY UINT64_MAX

struct block {
    uint64_t key, pc;
    struct block *next, *taken; /* where it goes on to, when that is known; null else */
    struct block *same_page;
    int64_t need, cost;    /* its cycles, and what it takes of the engine's two counts, see there */
    uint32_t cycles;       /* all of it, no branch taken */
    uint16_t count, bytes; /* instructions; how far it reaches */
    struct op ops[];
};

struct blocks {
    struct block **lookup; /* BLOCK_LOOKUP of them */
    struct block *pages[BLOCK_PAGES];
    void *chunks[BLOCK_CHUNKS];
    size_t chunk_count, chunk_at, chunk_used; /* how many there are, which is filled, how far */
    unsigned generation;                      /* counts how often all was forgotten */
    unsigned stale;
    const void *const *addresses; /* of each operation, in the engine */
    struct block *single;         /* for one instruction that is not kept */
};

enum ta_status blocks_init(struct blocks *blocks);
void blocks_free(struct blocks *blocks);
void blocks_forget(struct blocks *blocks);

/* Room for the largest block; null when memory is out. What is then in it is kept, with OPS of its instructions. */
struct block *blocks_begin(struct blocks *blocks);
void blocks_keep(struct blocks *blocks, struct block *block, size_t ops);

/* The block of that key, or null. */
struct block *blocks_known(struct blocks *blocks, uint64_t key);

/* What begins or ends within SIZE bytes at ADDRESS is stale from now on. */
void blocks_spoil(struct blocks *blocks, uint64_t address, uint64_t size);

/* What those rounds cost, of COST each, that fit into SPARE before the last one. */
static inline int64_t blocks_rounds(int64_t spare, int64_t cost) {
    int64_t cycles = (cost >> COUNT_BITS) + 1; /* the instructions of a round are subtracted from it */
    return spare > 0 ? (spare >> COUNT_BITS) / cycles * cost : 0;
}

static inline struct block *blocks_look_up(const struct blocks *blocks, uint64_t key) {
    struct block *block = blocks->lookup[(key >> 1) % BLOCK_LOOKUP];
    return block && block->key == key ? block : NULL;
}

#endif
