#include "machine/hart/hart.h"

void hart_forget_pages(struct hart *hart) {
    for (size_t i = 0; i < PAGE_ENTRIES; ++i)
        hart->pages[i].page = NO_ADDRESS;
    hart->window = (struct window){0};
    hart->bound = protection_binds_machine(&hart->state);
    hart->free_first = 1;
    hart->free_last = 0;
    hart->attention = true;
}

void hart_forget_all(struct hart *hart) {
    hart_forget_pages(hart);
    blocks_forget(&hart->blocks);
}

void hart_forget_code(struct hart *hart, uint64_t address, uint64_t size) {
    blocks_spoil(&hart->blocks, address, size);
    hart->attention = true;
}
