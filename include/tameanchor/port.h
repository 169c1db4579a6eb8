/* The port: the thin layer through which the library reaches a target's hardware. One struct of functions; a port for
   your own hardware needs this header and docs/ports.md only.

   Every function takes SELF first and answers a status; when it is not TA_OK, WHY (never null here) is filled and the target
   is as it was, unless the function says otherwise. TA_E_PORT means that the target cannot be reached any more: the
   caller closes the port. Times are device time in nanoseconds since power-on, addresses are the target's physical
   ones, sizes are bytes. Pointers are not null where nothing else is said. A port is called by one thread at a time: the one that runs the
   live target over it (live.h), which is the caller's own, but for the trials of a simulated target, which may run on threads of their own,
   each with a port of its own. A function whose capability bit is not set may be null; describe, wait and close never are. A port without
   TA_CAN_TIME gives times by a clock of its own: it can be run, and trials refuse it. */
#ifndef TAMEANCHOR_PORT_H
#define TAMEANCHOR_PORT_H

#include "tameanchor/event.h"
#include "tameanchor/picture.h"
#include "tameanchor/profile.h"
#include "tameanchor/registers.h"

#ifdef __cplusplus
extern "C" {
#endif

enum { TA_PORT_VERSION = 6 };

#define TA_CAPABILITY_TABLE(X)                                                                                         \
    X(TA_CAN_POWER, 0, "switch its power")                                                                             \
    X(TA_CAN_PROGRAM, 1, "program its flash")                                                                          \
    X(TA_CAN_MEMORY, 2, "read and write its memory")                                                                   \
    X(TA_CAN_REGISTERS, 3, "read and write its registers")                                                             \
    X(TA_CAN_BREAK, 4, "set breakpoints")                                                                              \
    X(TA_CAN_CONSOLE, 5, "write to its console")                                                                       \
    X(TA_CAN_INPUT, 6, "set its inputs")                                                                               \
    X(TA_CAN_OUTPUT, 7, "read its outputs")                                                                            \
    X(TA_CAN_TRACE, 8, "give a digest of its trace")                                                                   \
    X(TA_CAN_SEMIHOST, 9, "pass a command line by semihosting")                                                        \
    X(TA_CAN_STEP, 10, "execute a single instruction")                                                                 \
    X(TA_CAN_WATCH, 11, "watch its memory")                                                                            \
    X(TA_CAN_LOAD, 12, "take a second image")                                                                          \
    X(TA_CAN_KEEP, 13, "keep its flash by itself")                                                                     \
    X(TA_CAN_BRANCHES, 14, "tell which branches it took")                                                              \
    X(TA_CAN_PICTURE, 15, "tell what its screen shows")                                                                \
    X(TA_CAN_STORE, 16, "read and write what its devices keep")                                                        \
    X(TA_CAN_REWIND, 17, "go back to how it was")                                                                      \
    X(TA_CAN_MESSAGE, 18, "let messages reach its radio")                                                              \
    X(TA_CAN_TIME, 19, "tell device time")

enum ta_capability {
#define TA_CAPABILITY_ENUM(name, bit, text) name = 1 << bit,
    TA_CAPABILITY_TABLE(TA_CAPABILITY_ENUM)
#undef TA_CAPABILITY_ENUM
};

struct ta_port {
    uint32_t version;      /* TA_PORT_VERSION */
    uint32_t capabilities; /* of enum ta_capability */
    void *self;

    /* The profile of what is connected, borrowed until close. */
    enum ta_status (*describe)(void *self, const struct ta_profile **profile, struct ta_problem *why);

    /* On: RAM has no defined contents, flash keeps its own, the harts stand halted at their reset address and device
       time is 0. Off: outputs go dark, and reset, resume, halt, step and wait give TA_E_NO until it is on again; what holds
       its contents without power (flash) can still be read and programmed. A port may be handed over powered or not, running or halted: who
       uses it switches the power off and on again before anything else, or, where it cannot, halts and resets. */
    enum ta_status (*power)(void *self, bool on, struct ta_problem *why);

    /* All harts back to the reset address, halted; memory and device time go on. */
    enum ta_status (*reset)(void *self, struct ta_problem *why);

    /* Lets all harts run; they go on until halt, a breakpoint, a watchpoint or a stop, which halt all of them. Running
       already is no error, nor is being halted already. */
    enum ta_status (*resume)(void *self, struct ta_problem *why);
    enum ta_status (*halt)(void *self, struct ta_problem *why);

    /* Executes one instruction of HART, halted before and after, and fills EVENT: TA_EVENT_STEP, or what happened on it. The
       other harts stay where they are. A HART that is none is TA_E_INPUT. */
    enum ta_status (*step)(void *self, unsigned hart, struct ta_event *event, struct ta_problem *why);

    /* Waits for the next event, until device time UNTIL_NS at the most (to the next tick of the target's clock), and fills
       EVENT; TA_EVENT_TIME when the limit
       came first, and at once when the target is halted. No event is lost or told twice; EVENT owns all that it holds. A
       port to real hardware also gives up with TA_E_PORT when the target has not answered for a reasonable time of its own
       choice. */
    enum ta_status (*wait)(void *self, uint64_t until_ns, struct ta_event *event, struct ta_problem *why);

    /* Copies SIZE bytes. A range that does not lie in one memory is TA_E_INPUT and nothing is copied. Writing reaches RAM;
       flash is TA_E_INPUT there. */
    enum ta_status (*read_memory)(void *self, uint64_t address, void *bytes, size_t size, struct ta_problem *why);
    enum ta_status (*write_memory)(void *self, uint64_t address, const void *bytes, size_t size,
                                   struct ta_problem *why);

    /* Registers of HART, numbered as in registers.h, while it is halted. One that is none is TA_E_INPUT. */
    enum ta_status (*read_register)(void *self, unsigned hart, unsigned number, uint64_t *value,
                                    struct ta_problem *why);
    enum ta_status (*write_register)(void *self, unsigned hart, unsigned number, uint64_t value,
                                     struct ta_problem *why);

    /* Erases what SIZE bytes from ADDRESS on need (whole sectors; the rest of a sector is kept) and programs BYTES; what is
       not one flash memory is TA_E_INPUT. A failure may leave the range half programmed; it says so. Images for several
       harts are programmed one after the other. */
    enum ta_status (*program)(void *self, uint64_t address, const void *bytes, size_t size, struct ta_problem *why);

    /* What DEVICE of the profile keeps without power, as a card does: *SIZE is 0 for nothing. Copies of SIZE bytes at OFFSET; TA_E_INPUT
       outside of it. */
    enum ta_status (*store_size)(void *self, const char *device, uint64_t *size, struct ta_problem *why);
    enum ta_status (*read_store)(void *self, const char *device, uint64_t offset, void *bytes, size_t size,
                                 struct ta_problem *why);
    enum ta_status (*write_store)(void *self, const char *device, uint64_t offset, const void *bytes, size_t size,
                                  struct ta_problem *why);

    /* Remembers all of the target as it is, its power, memories and inputs; goes back to that, as often as one likes; forgets it. *MARK is
       null on failure. */
    enum ta_status (*mark)(void *self, void **mark, struct ta_problem *why);
    enum ta_status (*rewind)(void *self, const void *mark, struct ta_problem *why);
    void (*forget)(void *self, void *mark);

    /* Gives the target the whole image NAME that is no program of a hart, as "platform". It counts from the next
       power-on. A NAME that the target does not know is TA_E_INPUT. */
    enum ta_status (*load)(void *self, const char *name, const void *bytes, size_t size, struct ta_problem *why);

    /* Setting a breakpoint twice is one, taking away none is no error. They hold for all harts, and over a reset. */
    enum ta_status (*set_breakpoint)(void *self, uint64_t address, bool on, struct ta_problem *why);

    /* Ends a run after an instruction that reaches any of SIZE bytes from ADDRESS on in one of the ways of KINDS (enum
       ta_access); KINDS 0 takes it away. */
    enum ta_status (*set_watchpoint)(void *self, uint64_t address, uint64_t size, unsigned kinds,
                                     struct ta_problem *why);

    /* Types at the console. CLOSED: no more will come, for targets that can tell their program so. */
    enum ta_status (*type)(void *self, const void *bytes, size_t length, bool closed, struct ta_problem *why);

    /* Inputs and outputs by the profile's connector names, and switches by theirs; values as in machine.h. What an input is set to can be read
       like an output. A name that is none is TA_E_INPUT. An
       input is told as TA_EVENT_INPUT when it changes, and keeps its value over power and reset. */
    enum ta_status (*set_input)(void *self, const char *name, uint64_t value, struct ta_problem *why);
    enum ta_status (*read_output)(void *self, const char *name, uint64_t *value, struct ta_problem *why);

    /* Lets a message of 1 to TA_MESSAGE_BYTES arrive at the radio of that name, told as TA_EVENT_INPUT; whether the program hears it is another
       matter. */
    enum ta_status (*message)(void *self, const char *name, const void *text, size_t length, struct ta_problem *why);

    /* Makes PICTURE what the screen of that name shows, to be freed with ta_picture_free; empty on failure. That it shows something else is
       told as TA_EVENT_OUTPUT of WIDTH 0. */
    enum ta_status (*read_picture)(void *self, const char *name, struct ta_picture *picture, struct ta_problem *why);

    /* The branches that HART took last, while it is halted or right after an event: TA_BRANCHES of them at most, the last one last; *COUNT
       says how many. A target whose trace has gaps gives those behind the last one. */
    enum ta_status (*branches)(void *self, unsigned hart, struct ta_branch *branches, size_t *count,
                               struct ta_problem *why);

    /* A digest of all events since power-on; equal digests mean equal runs. */
    enum ta_status (*trace)(void *self, uint64_t *digest, struct ta_problem *why);

    /* What the program's semihosting call SYS_GET_CMDLINE gives from now on. TEXT may be null, for none. */
    enum ta_status (*command_line)(void *self, const char *text, struct ta_problem *why);

    /* Frees SELF. Must not be called twice. */
    void (*close)(void *self);
};

/* TA_OK, or TA_E_UNSUPPORTED with a problem that says in words what this port cannot do. WHY may be null. */
enum ta_status ta_port_needs(const struct ta_port *port, uint32_t capabilities, struct ta_problem *why);

/* Turns the device by TURNS quarters to the right (1) or the left (-1), seen by who looks at it: one that stands by what its motion sensor feels
   has another side up then, one that lies flat another heading. TA_E_INPUT for a board that feels neither, which ta_profile_turns tells. */
enum ta_status ta_port_turn(struct ta_port *port, int turns, struct ta_problem *why);
/* The sensors that it sets, of those that a board has; ends with null. */
extern const char *const ta_turned_sensors[];
enum ta_status ta_profile_turns(const struct ta_profile *profile, struct ta_problem *why);

/* The simulating port: a machine built from PROFILE, which is borrowed until close; powered off. On failure *PORT is as it
   was. WHY may be null. */
enum ta_status ta_port_simulate(const struct ta_profile *profile, struct ta_port *port, struct ta_problem *why);

/* The same with device models of your own, MODEL_COUNT of them (device.h), beside the built-in ones; one of the same name goes before. They
   are borrowed until close. */
struct ta_device_kind;
enum ta_status ta_port_simulate_with(const struct ta_profile *profile, const struct ta_device_kind *const *models,
                                     size_t model_count, struct ta_port *port, struct ta_problem *why);

#ifdef __cplusplus
}
#endif
#endif
