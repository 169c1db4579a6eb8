#include "machine/hart/blocks.h"

#include "machine/bus.h"

#include <stdlib.h>
#include <string.h>

static size_t block_bytes(size_t ops) {
    return sizeof(struct block) + ops * sizeof(struct op);
}

enum ta_status blocks_init(struct blocks *blocks) {
    blocks->lookup = calloc(BLOCK_LOOKUP, sizeof *blocks->lookup);
    blocks->single = calloc(1, block_bytes(2));
    return blocks->lookup && blocks->single ? TA_OK : TA_E_MEMORY;
}

void blocks_free(struct blocks *blocks) {
    for (size_t i = 0; i < blocks->chunk_count; ++i)
        free(blocks->chunks[i]);
    free(blocks->lookup);
    free(blocks->single);
}

void blocks_forget(struct blocks *blocks) {
    if (blocks->kept) { /* a whole table: not for nothing */
        memset(blocks->lookup, 0, BLOCK_LOOKUP * sizeof *blocks->lookup);
        memset(blocks->pages, 0, sizeof blocks->pages);
    }
    blocks->chunk_at = blocks->chunk_used = blocks->kept = 0;
    blocks->stale = 0;
    ++blocks->generation;
}

struct block *blocks_begin(struct blocks *blocks) {
    size_t most = block_bytes(BLOCK_OPS + 1);
    if (blocks->stale > BLOCK_STALE_MOST)
        blocks_forget(blocks);
    if (blocks->chunk_used + most > BLOCK_CHUNK) {
        ++blocks->chunk_at;
        blocks->chunk_used = 0;
    }
    if (blocks->chunk_at == BLOCK_CHUNKS)
        blocks_forget(blocks);
    if (blocks->chunk_at == blocks->chunk_count) {
        void *chunk = malloc(BLOCK_CHUNK);
        if (!chunk)
            return NULL;
        blocks->chunks[blocks->chunk_count++] = chunk;
    }
    return (struct block *)(void *)((char *)blocks->chunks[blocks->chunk_at] + blocks->chunk_used);
}

static struct block **page_list(struct blocks *blocks, uint64_t address) {
    return &blocks->pages[(address >> PAGE_BITS) % BLOCK_PAGES];
}

void blocks_keep(struct blocks *blocks, struct block *block, size_t ops) {
    struct block **list = page_list(blocks, block->pc);
    block->same_page = *list;
    *list = block;
    blocks->lookup[(block->key >> 1) % BLOCK_LOOKUP] = block;
    blocks->chunk_used += block_bytes(ops);
    ++blocks->kept;
}

/* Blocks that were put out of the table of addresses by others are still in their page's list. */
struct block *blocks_known(struct blocks *blocks, uint64_t key) {
    struct block *block = blocks_look_up(blocks, key);
    if (block)
        return block;
    block = *page_list(blocks, key);
    while (block && block->key != key)
        block = block->same_page;
    if (block)
        blocks->lookup[(key >> 1) % BLOCK_LOOKUP] = block;
    return block;
}

void blocks_spoil(struct blocks *blocks, uint64_t address, uint64_t size) {
    uint64_t first = address >> PAGE_BITS, last = (address + size - 1) >> PAGE_BITS;
    first -= first > 0; /* an instruction may reach into the next page */
    if (last - first >= BLOCK_PAGES) {
        blocks_forget(blocks);
        return;
    }
    for (uint64_t page = first; page <= last; ++page) {
        struct block **at = &blocks->pages[page % BLOCK_PAGES];
        while (*at) {
            struct block *block = *at;
            if (block->pc >= address + size || block->pc + block->bytes <= address) {
                at = &block->same_page;
                continue;
            }
            struct block **entry = &blocks->lookup[(block->key >> 1) % BLOCK_LOOKUP];
            *entry = *entry == block ? NULL : *entry;
            block->key = BLOCK_NO_KEY;
            block->ops[0].operation = OP_STALE;
            block->ops[0].at = blocks->addresses[OP_STALE];
            *at = block->same_page;
            ++blocks->stale;
        }
    }
}
