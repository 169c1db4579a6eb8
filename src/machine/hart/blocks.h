/* Blocks of decoded instructions: runs of code without a jump inside, linked to those that follow them. */
#ifndef TA_MACHINE_HART_BLOCKS_H
#define TA_MACHINE_HART_BLOCKS_H

#include "machine/hart/decode.h"
#include "tameanchor/status.h"

#include <stddef.h>

enum {
    BLOCK_OPS = 64,        /* at most; without the one that continues */
    BLOCK_STALE_MOST = 256 /* then all is forgotten */
};

/* How many entries there are by address, how many lists of the blocks that begin in a page, by its number; the bytes that are asked for at
   once, and how often at most; then all is forgotten. So few in tests that everything meets full tables. */
#ifdef TA_SMALL_BLOCKS
enum { BLOCK_LOOKUP = 1 << 6, BLOCK_PAGES = 4, BLOCK_CHUNK = 4 << 10, BLOCK_CHUNKS = 2 };
#else
enum { BLOCK_LOOKUP = 1 << 14, BLOCK_PAGES = 256, BLOCK_CHUNK = 256 << 10, BLOCK_CHUNKS = 24 };
#endif

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
    size_t kept;                              /* how many blocks lookup and pages lead to */
    uint64_t generation;                      /* counts how often all was forgotten */
    unsigned stale;
    const void *const *addresses; /* of each operation, in the engine */
    struct block *single;         /* for one instruction that is not kept */
};

enum ta_status blocks_init(struct blocks *blocks);
void blocks_free(struct blocks *blocks);

/* Drops every way to a block: the memory of all of them may be filled anew. A block under way, and those that it is linked to, may be
   executed until the next blocks_begin. No block of one generation is ever linked to one of another. */
void blocks_forget(struct blocks *blocks);

/* Room for the largest block; null when memory is out. Forgets all blocks when there is no room left for it. */
struct block *blocks_begin(struct blocks *blocks);
/* The block in that room, of OPS instructions, is there from now on. */
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
