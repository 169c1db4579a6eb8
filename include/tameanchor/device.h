/* How a device model is written: one struct of functions, registered with ta_machine_new's EXTRA list. A model keeps
   its state in the memory that the machine hands it and reaches its surroundings through its slot only. Contract and an
   example: docs/devices.md. */
#ifndef TAMEANCHOR_DEVICE_H
#define TAMEANCHOR_DEVICE_H

#include "tameanchor/event.h"
#include "tameanchor/picture.h"
#include "tameanchor/profile.h"

#ifdef __cplusplus
extern "C" {
#endif

enum { TA_DEVICE_VERSION = 7 };

/* A device's place in a machine. */
struct ta_slot;

/* What moves a state into a snapshot, or out of it. */
struct ta_keeper;

/* What happens on a bus to a device that hangs on it. With two wires (I2C, UM10204) it is addressed, a byte goes either way, the end; with a wire
   each way (SPI) it is selected, which WRITES tells, bytes go both ways at once, the end. */
enum ta_transfer {
    TA_TRANSFER_WRITES,
    TA_TRANSFER_READS,
    TA_TRANSFER_TAKE,
    TA_TRANSFER_GIVE,
    TA_TRANSFER_STOP,
    TA_TRANSFER_EXCHANGE
};

/* OFFSET counts from the device's base. SIZE_BYTES is one that WIDTHS names, the access is aligned, and VALUE has no bits above it.
   Every function but reset may be null: reads give 0, writes and the rest are dropped. */
struct ta_device_kind {
    uint32_t version;    /* TA_DEVICE_VERSION */
    const char *model;   /* the name that profiles use */
    const char *summary; /* one line for people */
    uint64_t span_bytes; /* how much of the bus the registers take */
    size_t state_bytes;  /* zeroed before the first reset */
    unsigned widths;     /* the sizes of its registers' accesses, added: 1, 2, 4, 8. Another one is an access fault */
    bool merges;         /* but one that is narrower is made of the narrowest there is; a store reads and writes then */
    uint64_t (*read)(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes);
    void (*write)(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value);
    /* The registers, by their offsets, which reading leaves as they are and which change only when something happens: a write, a wake-up, a
       change from outside. Programs that wait ask them again and again: the rounds of such a loop are counted and not carried out. */
    const uint64_t *steady;
    size_t steady_count;
    /* Power-on and reset. The slot forgets its wake-up and lowers its interrupt before. */
    void (*reset)(void *state, struct ta_slot *slot);
    /* The cycle set by ta_slot_wake_at has come. */
    void (*wake)(void *state, struct ta_slot *slot);
    /* An input pin changes: a button on a GPIO, or, for an interrupt controller, source PIN's line. */
    void (*input)(void *state, struct ta_slot *slot, unsigned pin, bool level);
    /* What PIN senses becomes VALUE: a sensor's value, or a finger on a touch panel (machine.h). A model that looks at ta_slot_sensed
       when it needs a value can do without. */
    void (*sensed)(void *state, struct ta_slot *slot, unsigned pin, uint64_t value);
    /* Of a screen: makes PICTURE what one sees on it. TA_E_MEMORY. */
    enum ta_status (*picture)(const void *state, const struct ta_slot *slot, struct ta_picture *picture);
    /* Of a radio: a message of 1 to TA_MESSAGE_BYTES arrives; false: nobody heard it. */
    bool (*heard)(void *state, struct ta_slot *slot, const uint8_t *text, size_t length);
    /* The console offers a byte from outside; false leaves it waiting until the model calls ta_slot_console_ready. */
    bool (*receive)(void *state, struct ta_slot *slot, uint8_t byte);
    /* Names what of STATE a snapshot keeps, by calls of ta_keep and ta_keep_memory, always the same ones in the same order; what is not named
       stays zero. Null: a snapshot keeps the state's bytes as they are, which hold no pointers, and only a host of the same byte order reads
       it back. */
    void (*keep)(void *state, struct ta_keeper *keeper);
    /* Whether STATE, which comes from a snapshot, is one that the model can go on from; null: any is. */
    bool (*is_sound)(const void *state, const struct ta_slot *slot);
    /* Frees the memory that STATE points to. */
    void (*release)(void *state);
    /* Of a device on a bus: STEP concerns it; BYTE is what it takes, or what it gives. False: it does not acknowledge. */
    bool (*transfer)(void *state, struct ta_slot *slot, enum ta_transfer step, uint8_t *byte);
    const char *const *quantities; /* what it senses, by the names of quantities (profile.h); ends with null */
    /* How many bytes of its own DEVICE keeps without power, as a card does; null: none. All their bits are set at first. */
    uint64_t (*store_bytes)(const struct ta_device *device);
    bool is_bus; /* others may hang on it, at these addresses */
    unsigned first_address, last_address;
    bool is_cable; /* it ends at a connector of kind usb; SENSED tells 1 when the cable is there, 0 when it is not */
    bool is_interrupt_controller; /* one a machine: takes the other devices' interrupts as input pins */
    unsigned pins;                /* how many connectors can be on; 0: not checked */
};

/* Keeps COUNT unsigned integers of SIZE_BYTES each (1, 2, 4 or 8). Out of a snapshot anything may come: is_sound looks at it. */
void ta_keep(struct ta_keeper *keeper, void *numbers, size_t count, size_t size_bytes);
#define TA_KEEP(keeper, number)    ta_keep(keeper, &(number), 1, sizeof(number))
#define TA_KEEP_ALL(keeper, array) ta_keep(keeper, array, sizeof(array) / sizeof *(array), sizeof *(array))

/* Keeps the LENGTH bytes at MEMORY, which are the model's, from malloc. Out of a snapshot, what MEMORY was is freed, and it is another one. */
void ta_keep_memory(struct ta_keeper *keeper, void **memory, size_t *length);

/* Time in cycles of the board's clock, and that clock. */
uint64_t ta_slot_now(const struct ta_slot *slot);
uint64_t ta_slot_clock_hz(const struct ta_slot *slot);

/* How many harts the board has. */
unsigned ta_slot_harts(const struct ta_slot *slot);

/* The device's own line in the profile: clock, options. */
const struct ta_device *ta_slot_config(const struct ta_slot *slot);
uint64_t ta_slot_option(const struct ta_slot *slot, const char *name, uint64_t otherwise);

/* Of a bus: STEP for the device at ADDRESS on it; false when there is none, or it does not acknowledge. */
bool ta_slot_transfer(struct ta_slot *bus, unsigned address, enum ta_transfer step, uint8_t *byte);

/* What PIN of the device (0: it has but one) senses of QUANTITY now, in thousandths of its unit: as somebody has set it, else what it starts
   with. */
int64_t ta_slot_sensed(const struct ta_slot *slot, const char *quantity, unsigned pin);

/* SIZE bytes at OFFSET of what the device keeps without power; false outside of that. */
bool ta_slot_store_read(struct ta_slot *slot, uint64_t offset, void *bytes, size_t size);
bool ta_slot_store_write(struct ta_slot *slot, uint64_t offset, const void *bytes, size_t size);

/* The SIZE bytes of RAM or flash at ADDRESS, to look at until the call returns; null when they do not lie in one memory. */
const uint8_t *ta_slot_memory(struct ta_slot *slot, uint64_t address, size_t size);

/* Whether these SIZE bytes lie in one flash memory; and puts others there, as programming does, whatever they were. Dropped elsewhere. */
bool ta_slot_is_flash(const struct ta_slot *slot, uint64_t address, size_t size);
void ta_slot_program(struct ta_slot *slot, uint64_t address, const void *bytes, size_t size);

/* Asks for wake at CYCLE (not before now); UINT64_MAX for never. One wake-up a slot: the last call holds. */
void ta_slot_wake_at(struct ta_slot *slot, uint64_t cycle);

/* Drives the device's interrupt line; lines of hart 0..n-1 for those that reach harts directly (timer, software and
   external interrupt: bits 7, 3 and 11 of mip, Privileged Architecture 1.12, 3.1.9). */
void ta_slot_interrupt(struct ta_slot *slot, bool level);
void ta_slot_hart_interrupt(struct ta_slot *slot, unsigned hart, unsigned bit, bool level);

/* Drives the output pins, one bit a pin. */
void ta_slot_output(struct ta_slot *slot, uint64_t pins);

/* The position of the switch NAME, or null when the board has none. */
const char *ta_slot_switch(const struct ta_slot *slot, const char *name);

/* What the other end of the device's cable makes of it, of enum ta_cable, with a few words (may be null); LENGTH bytes of UTF-8 that were
   typed there. */
void ta_slot_cable(struct ta_slot *slot, enum ta_cable state, const char *text);
void ta_slot_typed(struct ta_slot *slot, const char *text, size_t length);

/* The device's radio has sent this message of at most TA_MESSAGE_BYTES. */
void ta_slot_sent(struct ta_slot *slot, const uint8_t *text, size_t length);

/* The device's screen shows this text in BOX (TA_TEXT_BOX) now, or nothing when LENGTH is 0, and no other one that reaches into BOX. Longer
   than TA_EVENT_TEXT_BYTES it is cut. */
void ta_slot_text(struct ta_slot *slot, uint64_t box, const uint8_t *text, size_t length);

/* The device's screen shows something else; SHOWN stands for it in the trace, 0 for a dark one. */
void ta_slot_show(struct ta_slot *slot, uint64_t shown);

/* Writes to the console; asks to be offered bytes again. */
void ta_slot_console_write(struct ta_slot *slot, const uint8_t *bytes, size_t length);
void ta_slot_console_ready(struct ta_slot *slot);

/* Ends the program with an exit code; starts the board anew. */
void ta_slot_finish(struct ta_slot *slot, int code);
void ta_slot_restart(struct ta_slot *slot);

/* The machine's time counter, which harts read as the CSR `time`: set by the timer device. */
typedef uint64_t ta_time_reader(void *state, struct ta_slot *slot);
void ta_slot_provide_time(struct ta_slot *slot, ta_time_reader *reader);

#ifdef __cplusplus
}
#endif
#endif
