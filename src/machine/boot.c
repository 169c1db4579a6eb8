/* The reset logic: whether the board starts, and from what. */
#include "tameanchor/boot.h"
#include "machine/board.h"

#include <string.h>

/* What the card that is in keeps; null without one. */
static struct bus_region *card_of(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->profile->connector_count; ++i) {
        const struct ta_connector *connector = &machine->profile->connectors[i];
        if (connector->kind != TA_CONNECTOR_CARD || !machine->levels[i])
            continue;
        for (size_t k = 0; k < machine->slot_count; ++k)
            if (!strcmp(machine->slots[k].config->name, connector->device))
                return bus_store(&machine->bus, &machine->slots[k]);
    }
    return NULL;
}

/* Every block is there, they are what the check says, and all parts go to flash. */
static bool is_sound(struct ta_machine *machine, struct bus_region *card, const struct ta_boot *boot,
                     uint8_t block[TA_BOOT_BLOCK]) {
    uint32_t check = ta_boot_check_first(block);
    for (size_t i = 0; i < boot->count; ++i) {
        const struct ta_boot_part *part = &boot->parts[i];
        const struct bus_region *flash = bus_find(&machine->bus, part->address, part->size_bytes);
        if (!flash || !flash->bytes || flash->writable)
            return false;
    }
    for (uint32_t i = 1; i < boot->blocks; ++i) {
        if (!board_store_read(card, (uint64_t)i * TA_BOOT_BLOCK, block, TA_BOOT_BLOCK))
            return false;
        check = ta_boot_check(check, block, TA_BOOT_BLOCK);
    }
    return check == boot->check;
}

/* Programs the flash with what the card holds for it, whatever it was; false when that is no program, and nothing is changed. */
static bool program_from_card(struct ta_machine *machine) {
    struct bus_region *card = card_of(machine);
    uint8_t block[TA_BOOT_BLOCK];
    struct ta_boot boot;
    if (!card || !board_store_read(card, 0, block, sizeof block) || !ta_boot_read(block, &boot) ||
        !is_sound(machine, card, &boot, block))
        return false;
    for (size_t i = 0; i < boot.count; ++i) {
        const struct ta_boot_part *part = &boot.parts[i];
        const struct bus_region *flash = bus_find(&machine->bus, part->address, part->size_bytes);
        for (uint64_t at = 0; at < part->size_bytes; at += TA_BOOT_BLOCK) {
            uint64_t left = part->size_bytes - at;
            board_store_read(card, (uint64_t)part->first * TA_BOOT_BLOCK + at, block, sizeof block);
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
