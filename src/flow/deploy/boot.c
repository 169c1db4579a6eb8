/* A board that starts from its storage card: whether the card of a target holds what it can start from. */
#include "tameanchor/boot.h"

#include "flow/deploy/target.h"

/* The switch that makes the board start from its card, as it stands now; null when it does not. */
static const struct ta_switch *starts_by(struct target *target) {
    const struct ta_profile *profile = target->profile;
    for (size_t i = 0; i < profile->switch_count; ++i) {
        const struct ta_switch *each = &profile->switches[i];
        struct ta_problem unheard;
        uint64_t position = 0;
        if (each->card && !target->port.read_output(target->port.self, each->name, &position, &unheard) &&
            position < each->position_count && !strcmp(each->positions[position], each->card))
            return each;
    }
    return NULL;
}

/* A card that is read through a port, and what came of it. */
struct card_reader {
    struct ta_port *port;
    const char *device;
    uint64_t size;
    enum ta_status status;
    struct ta_problem *why;
};

static bool read_block(void *with, uint32_t block, uint8_t bytes[TA_BOOT_BLOCK]) {
    struct card_reader *reader = with;
    uint64_t at = (uint64_t)block * TA_BOOT_BLOCK;
    if (at + TA_BOOT_BLOCK > reader->size)
        return false;
    reader->status =
        reader->port->read_store(reader->port->self, reader->device, at, bytes, TA_BOOT_BLOCK, reader->why);
    return !reader->status;
}

static enum ta_status read_card(struct target *target, const char *device, struct ta_boot *boot, bool *sound,
                                struct ta_problem *why) {
    struct card_reader reader = {.port = &target->port, .device = device, .why = why};
    enum ta_status status = ta_port_needs(&target->port, TA_CAN_STORE, why);
    if (!status)
        status = target->port.store_size(target->port.self, device, &reader.size, why);
    *sound = !status && ta_boot_read(read_block, &reader, boot);
    return status ? status : reader.status;
}

/* That of the first part to carry one. */
static enum ta_status read_identity(struct target *target, const char *device, const struct ta_boot *boot,
                                    struct ta_identity *identity, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    bool found = false;
    for (size_t i = 0; !status && !found && i < boot->count; ++i) {
        const struct ta_boot_part *part = &boot->parts[i];
        g_autofree uint8_t *bytes = g_malloc(part->size_bytes + 1);
        status = target->port.read_store(target->port.self, device, (uint64_t)part->first * TA_BOOT_BLOCK, bytes,
                                         part->size_bytes, why);
        found = !status && ta_identity_find(bytes, part->size_bytes, identity, NULL);
    }
    return status;
}

enum ta_status target_boots(struct target *target, bool *starts, struct ta_identity *identity, struct ta_problem *why) {
    const struct ta_switch *by = starts_by(target);
    const struct ta_connector *card = by ? ta_profile_connector_of(target->profile, TA_CONNECTOR_CARD) : NULL;
    const struct ta_switch *slot = card && card->by ? ta_profile_switch(target->profile, card->by) : NULL;
    const char *name = target->name ? target->name : target->profile->name;
    struct ta_boot boot;
    bool sound = false;
    uint64_t position = 0;
    *starts = card != NULL;
    *identity = (struct ta_identity){{0}};
    if (!card)
        return TA_OK;
    enum ta_status status = slot ? target->port.read_output(target->port.self, slot->name, &position, why) : TA_OK;
    if (!status && slot && strcmp(slot->positions[position], card->when)) {
        g_autofree char *fix = target_switch_fix(name, slot->name, card->when);
        return ta_problem_set(why, TA_E_NO, fix, "%s of %s is %s, from which it is to start; %s is %s", by->name, name,
                              by->card, slot->name, slot->positions[position]);
    }
    if (!status)
        status = read_card(target, card->device, &boot, &sound, why);
    if (!status && !sound)
        return ta_problem_set(why, TA_E_NO, "{build} --form card makes one, {card-in} puts it on the card",
                              "%s of %s is %s, and its card holds no program to start from", by->name, name, by->card);
    return status ? status : read_identity(target, card->device, &boot, identity, why);
}
