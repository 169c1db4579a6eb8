/* A profile: the description of a kind of board or emulator. It is plain data: written in YAML (docs/profiles.md) and
   read with ta_profile_read of chain.h, or spelled out as a C constant in a test. */
#ifndef TAMEANCHOR_PROFILE_H
#define TAMEANCHOR_PROFILE_H

#include "tameanchor/status.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

enum ta_memory_kind { TA_MEMORY_FLASH, TA_MEMORY_RAM };

/* A run of memory on the bus. Flash is read and executed by the guest and written only by programming it. */
struct ta_memory {
    const char *name;
    enum ta_memory_kind kind;
    uint64_t base, size_bytes;
};

/* A number that a device's model takes, by name. */
struct ta_option {
    const char *name;
    uint64_t value;
};

/* A device: its model (docs/devices.md), where its registers start, and the line of the interrupt controller that it
   drives (0: none). CLOCK_HZ 0 means the board's clock. One that hangs ON a bus, another device, has an ADDRESS there and no BASE. */
struct ta_device {
    const char *name, *model;
    const char *on; /* null: it has registers of its own */
    uint64_t base;
    unsigned address;
    unsigned interrupt;
    uint64_t clock_hz;
    const struct ta_option *options;
    size_t option_count;
};

/* The device's option of that NAME, or OTHERWISE. */
uint64_t ta_device_option(const struct ta_device *device, const char *name, uint64_t otherwise);

/* How many bytes a storage card has, from its option `blocks` of 512 bytes each: 8192 unless that says otherwise. */
enum { TA_CARD_BLOCK = 512 };
uint64_t ta_device_card_bytes(const struct ta_device *device);

/* The size of a screen or touch panel, from its options `width` and `height`: 320 by 240 points unless they say otherwise. */
void ta_device_points(const struct ta_device *device, unsigned *width, unsigned *height);

enum ta_connector_kind {
    TA_CONNECTOR_CONSOLE,
    TA_CONNECTOR_LAMPS,
    TA_CONNECTOR_BUTTON,
    TA_CONNECTOR_SCREEN,
    TA_CONNECTOR_TOUCH,
    TA_CONNECTOR_SENSOR,
    TA_CONNECTOR_USB,
    TA_CONNECTOR_CARD,
    TA_CONNECTOR_RADIO,
};

/* What a sensor senses: all numbers are thousandths of the unit. START is what it is until somebody sets it. */
struct ta_quantity {
    const char *name, *unit;
    int64_t minimum, maximum, start;
};

/* The quantity of that name ("heading", "acceleration x"), or null; the INDEX-th of all, or null past the end. */
const struct ta_quantity *ta_quantity_find(const char *name);
const struct ta_quantity *ta_quantity_at(size_t index);

/* Reads LENGTH bytes of TEXT, "90 deg", "90" or "-0.5 g": at most three digits behind the point. False for another unit, or what is no number;
   whether it is in range is for the caller to see. */
bool ta_quantity_parse(const struct ta_quantity *quantity, const char *text, size_t length, int64_t *milli);

/* "-0.5 g" into TEXT, which is returned. */
enum { TA_QUANTITY_TEXT_BYTES = 48 };
const char *ta_quantity_text(const char *unit, int64_t milli, char text[TA_QUANTITY_TEXT_BYTES]);

/* A finger at column X, row Y of the screen beneath a touch panel, as that input's value; 0: none is there. */
#define TA_TOUCH(x, y)    (UINT64_C(1) << 32 | (uint64_t)(y) << 16 | (uint64_t)(x))
#define TA_TOUCH_X(value) ((unsigned)((value)&0xffff))
#define TA_TOUCH_Y(value) ((unsigned)((value) >> 16 & 0xffff))

/* What a person sees and touches, by name. A sensor's QUANTITY says what its value stands for, START (text, may be null) what it is until
   somebody sets it. Lamps are COUNT pins from PIN on, lamp 1 the lowest; a button is one pin, and so is what a device with several inputs senses.
   What a switch BY that name connects, a cable or a card, is there while that stands at WHEN; BY null: it always is.
   ACTIVE_LOW: the pin reads 0 when the button is pressed, or drives a lamp when 0. */
struct ta_connector {
    const char *name;
    enum ta_connector_kind kind;
    const char *device;
    unsigned pin, count;
    bool active_low;
    const char *quantity, *start;
    const char *by, *when;
};

/* Cycles that an instruction takes beside its first; all 0: every instruction takes one cycle. FLASH_WAIT is for what is fetched or
   loaded from flash. */
enum { TA_TIMING_MOST = 100 };
struct ta_timing {
    unsigned load, store, multiply, divide, taken_branch, flash_wait;
};

/* Harts of one kind. COUNT 0 means 1; ISA null, CLOCK_HZ 0 and RESET_ADDRESS 0 mean the profile's. HELD: they stay in reset until
   they get a software interrupt, by which another hart releases them. IMAGE names the flash that keeps their image until another hart
   copies it to RESET_ADDRESS; null: it runs where it is programmed. */
struct ta_hart_group {
    const char *name;
    unsigned count;
    const char *isa;
    uint64_t clock_hz, reset_address;
    bool held;
    const char *image;
};

/* What somebody sets at the desk and what stays so: a switch, a cable ("unplugged", "plugged"), a card ("empty", "inserted").
   The first position is how it comes. RUN is the one in which the board runs its program, CARD the one in which it first programs its flash with
   what its storage card holds (boot.h), REACH the one in which it can be reached, to
   deploy and for its console; null: any. */
struct ta_switch {
    const char *name;
    const char **positions;
    size_t position_count;
    const char *run, *card, *reach;
};

enum ta_profile_kind { TA_PROFILE_BOARD, TA_PROFILE_EMULATOR };

enum { TA_PROFILE_VERSION = 6 };

/* STRUCT_VERSION is TA_PROFILE_VERSION, of this struct and all that it points to; another one is refused. */
struct ta_profile {
    uint32_t struct_version;
    const char *name, *version, *title, *summary;
    const char *file; /* that all of it was read from, to say where something is wrong; null: there is none */
    const char *like; /* the profile that it was derived from, or null; its keys are in here already */
    enum ta_profile_kind kind;
    const char *isa; /* an ISA naming string, Unprivileged ISA 20191213, chapter 27: "rv32imac_zicsr" */
    const struct ta_hart_group *hart_groups; /* none: one hart */
    size_t hart_group_count;
    uint64_t clock_hz;
    struct ta_timing timing;
    bool misaligned;     /* data that is not aligned is carried out; else it traps */
    const char **clocks; /* the clocks that it may be set to ("8 MHz"); none: only that one */
    size_t clock_count;
    uint64_t reset_address; /* where the harts start */
    bool semihosting;       /* the RISC-V semihosting calls are answered */
    const struct ta_memory *memories;
    size_t memory_count;
    const struct ta_device *devices;
    size_t device_count;
    const struct ta_connector *connectors;
    size_t connector_count;
    const struct ta_switch *switches;
    size_t switch_count;
    const char *platform, *platform_range; /* of an emulator: the platform image that it starts from, or null */
};

/* Checks what can be told from the profile alone: an ISA that is named correctly, memories and devices apart,
   connectors on devices that exist. WHY says which key is at fault. Models are checked by ta_machine_new. */
enum ta_status ta_profile_check(const struct ta_profile *profile, struct ta_problem *why);

/* How many harts the board has, all groups together. */
unsigned ta_profile_harts(const struct ta_profile *profile);

/* The group of harts at INDEX, with what it leaves to the profile filled in; *FIRST (may be null) is the number of its first hart. A
   profile without groups has one, named "hart". False past the end. */
bool ta_profile_hart_group(const struct ta_profile *profile, size_t index, struct ta_hart_group *group,
                           unsigned *first);

/* The group of that NAME, null for the first one, filled in likewise; false when there is none. */
bool ta_profile_harts_named(const struct ta_profile *profile, const char *name, struct ta_hart_group *group,
                            unsigned *first);

/* The group that HART is in, filled in likewise; false when there is no such hart. */
bool ta_profile_harts_of(const struct ta_profile *profile, unsigned hart, struct ta_hart_group *group);

/* The memory of that name, or null. */
const struct ta_memory *ta_profile_memory(const struct ta_profile *profile, const char *name);

/* Whether the board may run at this clock. */
bool ta_profile_has_clock(const struct ta_profile *profile, uint64_t clock_hz);

/* The connector of that name, or null; the first one of that kind, or null. */
const struct ta_connector *ta_profile_connector(const struct ta_profile *profile, const char *name);
const struct ta_connector *ta_profile_connector_of(const struct ta_profile *profile, enum ta_connector_kind kind);

/* The device behind a connector, or null. */
const struct ta_device *ta_profile_device(const struct ta_profile *profile, const struct ta_connector *connector);

/* The sensor of that quantity, or null. */
const struct ta_connector *ta_profile_sensor(const struct ta_profile *profile, const char *quantity);

/* What an input is until somebody sets it: of a sensor thousandths of its unit, else 0. */
int64_t ta_connector_start(const struct ta_connector *connector);

/* The size in points of the screen or touch panel of that name; false when it is neither. */
bool ta_profile_points(const struct ta_profile *profile, const char *name, unsigned *width, unsigned *height);

/* The board's logic fabric: the device whose model is "fabric"; null when it has none. */
const struct ta_device *ta_profile_fabric(const struct ta_profile *profile);

/* The card that the switch of that name puts in: its device; null when it puts in none. */
const struct ta_device *ta_profile_card(const struct ta_profile *profile, const char *name);

/* What the sensor of that name senses, or null when it is none. */
const struct ta_quantity *ta_profile_quantity(const struct ta_profile *profile, const char *name);

/* The switch of that name, or null; where POSITION is among its positions, or its position_count. */
const struct ta_switch *ta_profile_switch(const struct ta_profile *profile, const char *name);
size_t ta_switch_position(const struct ta_switch *each, const char *position);

/* The memory that holds all SIZE_BYTES from ADDRESS on, or null. */
const struct ta_memory *ta_profile_memory_at(const struct ta_profile *profile, uint64_t address, uint64_t size_bytes);

#ifdef __cplusplus
}
#endif
#endif
