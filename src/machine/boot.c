/* The reset logic: whether the board starts, and from what. */
#include "tameanchor/boot.h"
#include "machine/board.h"

/* What the card that is in keeps; null without one. */
static struct bus_region *card_of(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->profile->connector_count; ++i)
        if (machine->profile->connectors[i].kind == TA_CONNECTOR_CARD && machine->levels[i])
            return board_store(machine, machine->profile->connectors[i].device);
    return NULL;
}

static bool read_block(void *card, uint32_t block, uint8_t bytes[TA_BOOT_BLOCK]) {
    return board_store_read(card, (uint64_t)block * TA_BOOT_BLOCK, bytes, TA_BOOT_BLOCK);
}

static const struct bus_region *flash_of(struct ta_machine *machine, const struct ta_boot_part *part) {
    const struct bus_region *flash = bus_find(&machine->bus, part->address, part->size_bytes);
    return flash && flash->bytes && !flash->writable ? flash : NULL;
}

/* Programs the flash with what the card holds for it, whatever it was; false when that is no program for this board, and nothing is
   changed. */
static bool program_from_card(struct ta_machine *machine) {
    struct bus_region *card = card_of(machine);
    uint8_t block[TA_BOOT_BLOCK];
    struct ta_boot boot;
    if (!card || !ta_boot_read(read_block, card, &boot))
        return false;
    for (size_t i = 0; i < boot.count; ++i)
        if (!flash_of(machine, &boot.parts[i]))
            return false;
    for (size_t i = 0; i < boot.count; ++i) {
        const struct ta_boot_part *part = &boot.parts[i];
        const struct bus_region *flash = flash_of(machine, part);
        for (uint64_t at = 0; at < part->size_bytes; at += TA_BOOT_BLOCK) {
            uint64_t left = part->size_bytes - at;
            read_block(card, part->first + (uint32_t)(at / TA_BOOT_BLOCK), block);
            board_put(machine, flash, part->address + at, block, left < sizeof block ? (size_t)left : sizeof block);
        }
    }
    return true;
}

bool board_boots(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->profile->switch_count; ++i) {
        const struct ta_switch *each = &machine->profile->switches[i];
        if (board_stands_at(machine, i, each->card) ? !program_from_card(machine)
                                                    : each->run && !board_stands_at(machine, i, each->run))
            return false;
    }
    return true;
}
