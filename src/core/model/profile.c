/* What a profile alone can tell to be wrong. */
#include "tameanchor/profile.h"
#include "base/text.h"
#include "base/units.h"
#include "core/model/isa.h"
#include "tameanchor/event.h"
#include "tameanchor/picture.h"

#include <stdio.h>
#include <string.h>

const struct ta_connector *ta_profile_connector(const struct ta_profile *profile, const char *name) {
    for (size_t i = 0; i < profile->connector_count; ++i)
        if (!strcmp(profile->connectors[i].name, name))
            return &profile->connectors[i];
    return NULL;
}

const struct ta_connector *ta_profile_connector_of(const struct ta_profile *profile, enum ta_connector_kind kind) {
    for (size_t i = 0; i < profile->connector_count; ++i)
        if (profile->connectors[i].kind == kind)
            return &profile->connectors[i];
    return NULL;
}

const struct ta_connector *ta_profile_sensor(const struct ta_profile *profile, const char *quantity) {
    for (size_t i = 0; i < profile->connector_count; ++i)
        if (profile->connectors[i].kind == TA_CONNECTOR_SENSOR && profile->connectors[i].quantity &&
            !strcmp(profile->connectors[i].quantity, quantity))
            return &profile->connectors[i];
    return NULL;
}

int64_t ta_connector_start(const struct ta_connector *connector) {
    const struct ta_quantity *quantity = connector->quantity ? ta_quantity_find(connector->quantity) : NULL;
    int64_t milli;
    if (quantity && connector->start && ta_quantity_parse(quantity, connector->start, strlen(connector->start), &milli))
        return milli;
    return quantity ? quantity->start : 0;
}

const struct ta_switch *ta_profile_switch(const struct ta_profile *profile, const char *name) {
    for (size_t i = 0; i < profile->switch_count; ++i)
        if (!strcmp(profile->switches[i].name, name))
            return &profile->switches[i];
    return NULL;
}

size_t ta_switch_position(const struct ta_switch *each, const char *position) {
    size_t at = 0;
    while (at < each->position_count && strcmp(each->positions[at], position))
        ++at;
    return at;
}

uint64_t ta_device_option(const struct ta_device *device, const char *name, uint64_t otherwise) {
    for (size_t i = 0; i < device->option_count; ++i)
        if (!strcmp(device->options[i].name, name))
            return device->options[i].value;
    return otherwise;
}

uint64_t ta_device_card_bytes(const struct ta_device *device) {
    enum { BLOCKS_DEFAULT = 8192, BLOCKS_MOST = 1 << 22 };
    uint64_t blocks = ta_device_option(device, "blocks", BLOCKS_DEFAULT);
    return (blocks && blocks <= BLOCKS_MOST ? blocks : BLOCKS_DEFAULT) * TA_CARD_BLOCK;
}

void ta_device_points(const struct ta_device *device, unsigned *width, unsigned *height) {
    enum { WIDTH_DEFAULT = 320, HEIGHT_DEFAULT = 240 };
    *width = (unsigned)ta_device_option(device, "width", WIDTH_DEFAULT);
    *height = (unsigned)ta_device_option(device, "height", HEIGHT_DEFAULT);
}

const struct ta_quantity *ta_profile_quantity(const struct ta_profile *profile, const char *name) {
    const struct ta_connector *connector = ta_profile_connector(profile, name);
    return connector && connector->quantity ? ta_quantity_find(connector->quantity) : NULL;
}

const struct ta_memory *ta_profile_memory_at(const struct ta_profile *profile, uint64_t address, uint64_t size_bytes) {
    for (size_t i = 0; i < profile->memory_count; ++i) {
        const struct ta_memory *memory = &profile->memories[i];
        if (address >= memory->base && address - memory->base <= memory->size_bytes &&
            size_bytes <= memory->size_bytes - (address - memory->base))
            return memory;
    }
    return NULL;
}

const struct ta_memory *ta_profile_memory(const struct ta_profile *profile, const char *name) {
    for (size_t i = 0; i < profile->memory_count; ++i)
        if (!strcmp(profile->memories[i].name, name))
            return &profile->memories[i];
    return NULL;
}

bool ta_profile_has_clock(const struct ta_profile *profile, uint64_t clock_hz) {
    uint64_t value;
    for (size_t i = 0; i < profile->clock_count; ++i)
        if (unit_parse(profile->clocks[i], strlen(profile->clocks[i]), UNIT_FREQUENCY_HZ, &value) && value == clock_hz)
            return true;
    return clock_hz == profile->clock_hz;
}

bool ta_profile_hart_group(const struct ta_profile *profile, size_t index, struct ta_hart_group *group,
                           unsigned *first) {
    static const struct ta_hart_group alone = {.name = "hart"};
    const struct ta_hart_group *groups = profile->hart_group_count ? profile->hart_groups : &alone;
    size_t count = profile->hart_group_count ? profile->hart_group_count : 1;
    if (index >= count)
        return false;
    if (first)
        *first = 0;
    for (size_t i = 0; first && i < index; ++i)
        *first += groups[i].count ? groups[i].count : 1;
    *group = groups[index];
    group->count = group->count ? group->count : 1;
    group->isa = group->isa ? group->isa : profile->isa;
    group->clock_hz = group->clock_hz ? group->clock_hz : profile->clock_hz;
    group->reset_address = group->reset_address ? group->reset_address : profile->reset_address;
    return true;
}

bool ta_profile_harts_named(const struct ta_profile *profile, const char *name, struct ta_hart_group *group,
                            unsigned *first) {
    for (size_t i = 0; ta_profile_hart_group(profile, i, group, first); ++i)
        if (!name || !strcmp(group->name, name))
            return true;
    return false;
}

bool ta_profile_harts_of(const struct ta_profile *profile, unsigned hart, struct ta_hart_group *group) {
    unsigned first;
    for (size_t i = 0; ta_profile_hart_group(profile, i, group, &first); ++i)
        if (hart - first < group->count)
            return true;
    return false;
}

unsigned ta_profile_harts(const struct ta_profile *profile) {
    struct ta_hart_group group;
    unsigned count = 0;
    for (size_t i = 0; ta_profile_hart_group(profile, i, &group, NULL); ++i)
        count += group.count;
    return count;
}

static bool is_clock(uint64_t clock_hz) {
    return clock_hz >= 1000 && clock_hz <= 10000000000u;
}

/* Without CSRs a hart could not even trap. KEY is where TEXT stands: "isa" or "harts.NAME.isa". */
static enum ta_status check_isa(const char *text, const char *key, struct isa *isa, struct ta_problem *why) {
    char fix[2 * ISA_TEXT_BYTES];
    struct ta_problem unread;
    enum ta_status status = isa_parse(text, isa, &unread);
    if (status)
        return ta_problem_set(why, status, unread.fix, "%s: %s", key, unread.what);
    if (isa->extensions & ISA_ZICSR)
        return TA_OK;
    snprintf(fix, sizeof fix, "write %.60s_zicsr", text);
    return ta_problem_set(why, TA_E_INPUT, fix, "%s: %s has no zicsr, without which nothing can trap", key, text);
}

static enum ta_status check_timing(const struct ta_timing *timing, struct ta_problem *why) {
    const unsigned cycles[] = {timing->load,   timing->store,        timing->multiply,
                               timing->divide, timing->taken_branch, timing->flash_wait};
    for (size_t i = 0; i < sizeof cycles / sizeof *cycles; ++i)
        if (cycles[i] > TA_TIMING_MOST)
            return ta_problem_set(why, TA_E_INPUT, "write 0 to 100", "timing: %u cycles are too many", cycles[i]);
    return TA_OK;
}

/* *ISA becomes the widest, which says how far addresses reach. */
static enum ta_status check_hart_groups(const struct ta_profile *profile, struct isa *isa, struct ta_problem *why) {
    enum { MOST_HARTS = 8 };
    const struct isa given = *isa;
    for (size_t i = 0; i < profile->hart_group_count; ++i) {
        const struct ta_hart_group *group = &profile->hart_groups[i];
        struct isa own = given;
        char key[96];
        snprintf(key, sizeof key, "harts.%.64s.isa", group->name);
        enum ta_status status = group->isa ? check_isa(group->isa, key, &own, why) : TA_OK;
        if (status)
            return status;
        if (group->clock_hz && !is_clock(group->clock_hz))
            return ta_problem_set(why, TA_E_INPUT, "a clock runs at 1 kHz to 10 GHz",
                                  "harts.%s.clock: it is out of range", group->name);
        if (group->reset_address && !ta_profile_memory_at(profile, group->reset_address, 4))
            return ta_problem_set(why, TA_E_INPUT, "set reset to an address in flash or RAM",
                                  "harts.%s.reset: no memory at 0x%llx", group->name,
                                  (unsigned long long)group->reset_address);
        const struct ta_memory *keeps = group->image ? ta_profile_memory(profile, group->image) : NULL;
        if (group->image && (!keeps || keeps->kind != TA_MEMORY_FLASH))
            return ta_problem_set(why, TA_E_INPUT, "name one of the profile's flash memories",
                                  "harts.%s.image: there is no flash \"%s\"", group->name, group->image);
        *isa = own.xlen > isa->xlen ? own : *isa;
    }
    if (ta_profile_harts(profile) > MOST_HARTS)
        return ta_problem_set(why, TA_E_INPUT, "a board has 1 to 8 harts", "harts: %u harts are too many",
                              ta_profile_harts(profile));
    return TA_OK;
}

static enum ta_status check_clocks(const struct ta_profile *profile, struct ta_problem *why) {
    uint64_t value;
    for (size_t i = 0; i < profile->clock_count; ++i)
        if (!unit_parse(profile->clocks[i], strlen(profile->clocks[i]), UNIT_FREQUENCY_HZ, &value) || !value)
            return ta_problem_set(why, TA_E_INPUT, "write for example 8 MHz", "clocks: \"%s\" is not a frequency",
                                  profile->clocks[i]);
    return TA_OK;
}

static const struct ta_device *device_named(const struct ta_profile *profile, const char *name) {
    for (size_t i = 0; i < profile->device_count; ++i)
        if (!strcmp(profile->devices[i].name, name))
            return &profile->devices[i];
    return NULL;
}

const struct ta_device *ta_profile_device(const struct ta_profile *profile, const struct ta_connector *connector) {
    return device_named(profile, connector->device);
}

const struct ta_device *ta_profile_fabric(const struct ta_profile *profile) {
    for (size_t i = 0; i < profile->device_count; ++i)
        if (!strcmp(profile->devices[i].model, "fabric"))
            return &profile->devices[i];
    return NULL;
}

const struct ta_device *ta_profile_card(const struct ta_profile *profile, const char *name) {
    for (size_t i = 0; i < profile->connector_count; ++i) {
        const struct ta_connector *connector = &profile->connectors[i];
        if (connector->kind == TA_CONNECTOR_CARD && connector->by && !strcmp(connector->by, name))
            return ta_profile_device(profile, connector);
    }
    return NULL;
}

bool ta_profile_points(const struct ta_profile *profile, const char *name, unsigned *width, unsigned *height) {
    const struct ta_connector *connector = ta_profile_connector(profile, name);
    const struct ta_device *device = connector ? ta_profile_device(profile, connector) : NULL;
    if (!device || (connector->kind != TA_CONNECTOR_TOUCH && connector->kind != TA_CONNECTOR_SCREEN))
        return false;
    ta_device_points(device, width, height);
    return true;
}

static enum ta_status check_memories(const struct ta_profile *profile, const struct isa *isa, struct ta_problem *why) {
    const uint64_t most = UINT64_C(1) << 30;
    uint64_t top = isa->xlen == 32 ? UINT64_C(1) << 32 : UINT64_MAX, flash = 0;
    for (size_t i = 0; i < profile->memory_count; ++i) {
        const struct ta_memory *memory = &profile->memories[i];
        if (!memory->size_bytes || memory->size_bytes > most)
            return ta_problem_set(why, TA_E_INPUT, "a memory holds 1 B to 1 GiB", "memory.%s: its size is out of range",
                                  memory->name);
        flash += memory->kind == TA_MEMORY_FLASH ? memory->size_bytes : 0;
        if (flash > most) /* RAM that nobody touches takes none of this computer's; blank flash does */
            return ta_problem_set(why, TA_E_INPUT, "make them smaller",
                                  "memory.%s: all flash together is larger than 1 GiB", memory->name);
        if (memory->base > top - memory->size_bytes)
            return ta_problem_set(why, TA_E_INPUT, "move its base down",
                                  "memory.%s: it ends past the address space of %s", memory->name, profile->isa);
        for (size_t k = 0; k < i; ++k) {
            const struct ta_memory *other = &profile->memories[k];
            if (memory->base < other->base + other->size_bytes && other->base < memory->base + memory->size_bytes)
                return ta_problem_set(why, TA_E_INPUT, "give them addresses apart", "memory.%s: it overlaps memory.%s",
                                      memory->name, other->name);
        }
    }
    if (!ta_profile_memory_at(profile, profile->reset_address, 4))
        return ta_problem_set(why, TA_E_INPUT, "set reset to the base of a flash or RAM", "reset: no memory at 0x%llx",
                              (unsigned long long)profile->reset_address);
    return TA_OK;
}

/* I2C addresses of seven bits: those below 8 and above 0x77 are reserved (UM10204, 3.1.12). */
static enum ta_status check_devices(const struct ta_profile *profile, struct ta_problem *why) {
    for (size_t i = 0; i < profile->device_count; ++i) {
        const struct ta_device *device = &profile->devices[i];
        if (!device->on && !device->base)
            return ta_problem_set(why, TA_E_INPUT, "say where its registers are, or on which bus it is",
                                  "devices.%s: the key base is missing", device->name);
        if (!device->on)
            continue;
        if (!device_named(profile, device->on) || !strcmp(device->on, device->name))
            return ta_problem_set(why, TA_E_INPUT, "name one of the profile's devices",
                                  "devices.%s.on: there is no bus \"%s\"", device->name, device->on);
        for (size_t k = 0; k < i; ++k)
            if (profile->devices[k].on && !strcmp(profile->devices[k].on, device->on) &&
                profile->devices[k].address == device->address)
                return ta_problem_set(why, TA_E_INPUT, "give each its own", "devices.%s.address: %s has 0x%02x already",
                                      device->name, profile->devices[k].name, device->address);
    }
    return TA_OK;
}

/* The line of an interrupt controller belongs to one device. */
static enum ta_status check_interrupts(const struct ta_profile *profile, struct ta_problem *why) {
    for (size_t i = 0; i < profile->device_count; ++i)
        for (size_t k = 0; k < i; ++k)
            if (profile->devices[i].interrupt && profile->devices[i].interrupt == profile->devices[k].interrupt)
                return ta_problem_set(why, TA_E_INPUT, "give each its own", "devices.%s.interrupt: %s has %u already",
                                      profile->devices[i].name, profile->devices[k].name,
                                      profile->devices[i].interrupt);
    return TA_OK;
}

static enum ta_status check_switches(const struct ta_profile *profile, struct ta_problem *why) {
    for (size_t i = 0; i < profile->switch_count; ++i) {
        const struct ta_switch *each = &profile->switches[i];
        static const char *const keys[] = {"run", "card", "reach"};
        const char *const named[] = {each->run, each->card, each->reach};
        if (!each->position_count)
            return ta_problem_set(why, TA_E_INPUT, "write for example [off, on]", "switches.%s.positions: it has none",
                                  each->name);
        for (size_t k = 0; k < 3; ++k) {
            if (named[k] && ta_switch_position(each, named[k]) == each->position_count)
                return ta_problem_set(why, TA_E_INPUT, "name one of its positions",
                                      "switches.%s.%s: it has no position %s", each->name, keys[k], named[k]);
        }
        if (each->card && !ta_profile_connector_of(profile, TA_CONNECTOR_CARD))
            return ta_problem_set(why, TA_E_INPUT, "leave it out, or give the board a connector of kind card",
                                  "switches.%s.card: there is no card to start from", each->name);
        if (strlen(each->name) >= TA_EVENT_NAME_BYTES || ta_profile_connector(profile, each->name))
            return ta_problem_set(why, TA_E_INPUT, "give it a name of its own, of 1 to 63 bytes",
                                  "switches.%s: its name cannot be used", each->name);
    }
    return TA_OK;
}

static enum ta_status check_connectors(const struct ta_profile *profile, struct ta_problem *why) {
    for (size_t i = 0; i < profile->connector_count; ++i) {
        const struct ta_connector *connector = &profile->connectors[i];
        if (!*connector->name || strlen(connector->name) >= TA_EVENT_NAME_BYTES)
            return ta_problem_set(why, TA_E_INPUT, "give it a name of 1 to 63 bytes",
                                  "connectors.%s: its name cannot be used", connector->name);
        if (!ta_profile_device(profile, connector))
            return ta_problem_set(why, TA_E_INPUT, "name one of the profile's devices",
                                  "connectors.%s: there is no device \"%s\"", connector->name, connector->device);
        const struct ta_switch *by = connector->by ? ta_profile_switch(profile, connector->by) : NULL;
        if (connector->by && !by)
            return ta_problem_set(why, TA_E_INPUT, "name one of the profile's switches",
                                  "connectors.%s.by: there is no switch \"%s\"", connector->name, connector->by);
        if (by && (!connector->when || ta_switch_position(by, connector->when) == by->position_count))
            return ta_problem_set(why, TA_E_INPUT, "name one of the switch's positions",
                                  "connectors.%s.when: %s has no such position", connector->name, connector->by);
        if (connector->quantity && !ta_quantity_find(connector->quantity))
            return ta_problem_set(why, TA_E_INPUT, "docs/profiles.md lists them",
                                  "connectors.%s.quantity: nothing senses \"%s\"", connector->name,
                                  connector->quantity);
        const struct ta_quantity *quantity = connector->quantity ? ta_quantity_find(connector->quantity) : NULL;
        int64_t start = 0;
        if (connector->start &&
            (!quantity || !ta_quantity_parse(quantity, connector->start, strlen(connector->start), &start) ||
             start < quantity->minimum || start > quantity->maximum))
            return ta_problem_set(why, TA_E_INPUT, "write a value of its quantity, for example 1 g",
                                  "connectors.%s.start: \"%s\" is none of it", connector->name, connector->start);
        unsigned count = connector->kind == TA_CONNECTOR_LAMPS ? connector->count : 1, width = 1, height = 1;
        ta_profile_points(profile, connector->name, &width, &height);
        if (!width || width > TA_PICTURE_MOST || !height || height > TA_PICTURE_MOST)
            return ta_problem_set(why, TA_E_INPUT, "give it 1 to 4096 points a side",
                                  "devices.%s.options: a side of %u by %u points is out of range", connector->device,
                                  width, height);
        if (!count || count > 64 || connector->pin > 64 - count)
            return ta_problem_set(why, TA_E_INPUT, "pins count from 0 to 63",
                                  "connectors.%s: its pins are out of range", connector->name);
    }
    return TA_OK;
}

/* Names go into file names and generated code. Those of connectors and switches, which people read, may hold capitals and
   blanks too. */
static enum ta_status check_name(const char *name, const char *list, bool shown, struct ta_problem *why) {
    static const char letters[] = "abcdefghijklmnopqrstuvwxyz0123456789-_ ABCDEFGHIJKLMNOPQRSTUVWXYZ.";
    if (shown ? *name && strspn(name, letters) == strlen(name) : text_is_name(name))
        return TA_OK;
    return ta_problem_set(why, TA_E_INPUT,
                          shown ? "use letters, digits, blanks and -" : "use small letters, digits and -",
                          "%s: \"%s\" is not a name", list, name);
}

static enum ta_status check_names(const struct ta_profile *profile, struct ta_problem *why) {
    enum ta_status status = check_name(profile->name, "profile", false, why);
    for (size_t i = 0; !status && i < profile->hart_group_count; ++i)
        status = check_name(profile->hart_groups[i].name, "harts", false, why);
    for (size_t i = 0; !status && i < profile->memory_count; ++i)
        status = check_name(profile->memories[i].name, "memory", false, why);
    for (size_t i = 0; !status && i < profile->device_count; ++i)
        status = check_name(profile->devices[i].name, "devices", false, why);
    for (size_t i = 0; !status && i < profile->switch_count; ++i)
        status = check_name(profile->switches[i].name, "switches", true, why);
    for (size_t i = 0; !status && i < profile->connector_count; ++i)
        status = check_name(profile->connectors[i].name, "connectors", true, why);
    return status;
}

enum ta_status ta_profile_check(const struct ta_profile *profile, struct ta_problem *why) {
    struct isa isa;
    if (profile->struct_version != TA_PROFILE_VERSION)
        return ta_problem_set(why, TA_E_UNSUPPORTED, "set struct_version to TA_PROFILE_VERSION",
                              "the profile has struct version %u, this library knows %d",
                              (unsigned)profile->struct_version, TA_PROFILE_VERSION);
    if (!profile->isa || !profile->name)
        return ta_problem_set(why, TA_E_INPUT, "a profile needs a name and an ISA", "%s is missing",
                              profile->isa ? "profile" : "isa");
    enum ta_status status = check_isa(profile->isa, "isa", &isa, why);
    if (status)
        return status;
    if (!is_clock(profile->clock_hz))
        return ta_problem_set(why, TA_E_INPUT, "a clock runs at 1 kHz to 10 GHz", "clock: it is out of range");
    status = check_names(profile, why);
    if (!status)
        status = check_clocks(profile, why);
    if (!status)
        status = check_timing(&profile->timing, why);
    if (!status)
        status = check_hart_groups(profile, &isa, why);
    if (!status)
        status = check_memories(profile, &isa, why);
    if (!status)
        status = check_devices(profile, why);
    if (!status)
        status = check_interrupts(profile, why);
    if (!status)
        status = check_switches(profile, why);
    return status ? status : check_connectors(profile, why);
}
