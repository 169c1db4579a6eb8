/* The machine: simulated hardware assembled from a profile alone. Needs nothing but the C library; a simulated board
   can live inside anybody's unit test (examples/board_in_a_test.c).

   Time is virtual: an instruction takes one cycle of its hart's clock, or what the profile's timing says; `wfi` skips to the next
   event. Several harts take turns: the one that is furthest behind goes on, for 20 us of device time at the most. A run is
   deterministic: the same profile, memory contents and inputs at the same device times give the same events, bit for
   bit. The guest can reach nothing of the host. Nor does the host's floating-point mode reach the guest: whatever rounding, flushing or
   traps the program around a machine has set, results are the same. On x86 a run puts that mode aside and gives it back, flags included;
   device models are called in the usual one. On other hosts floating point is computed by integers where the mode is not the usual one, and a
   program must not let inexact results trap. A machine is used by one thread at a time; machines share nothing. */
#ifndef TAMEANCHOR_MACHINE_H
#define TAMEANCHOR_MACHINE_H

#include "tameanchor/device.h"
#include "tameanchor/event.h"
#include "tameanchor/registers.h"

#ifdef __cplusplus
extern "C" {
#endif

struct ta_machine;

/* Builds a machine, powered off. PROFILE is borrowed and must outlive it. EXTRA (may be null) lists EXTRA_COUNT device
   models besides the built-in ones; a model of the same name replaces the built-in. TA_E_INPUT or TA_E_UNSUPPORTED name
   what this release cannot simulate. */
enum ta_status ta_machine_new(const struct ta_profile *profile, const struct ta_device_kind *const *extra,
                              size_t extra_count, struct ta_machine **machine, struct ta_problem *why);
void ta_machine_free(struct ta_machine *machine);

/* The built-in device models: the COUNT-th's description, or null past the end. */
const struct ta_device_kind *ta_machine_model(size_t index);

/* Powers on: RAM cleared, flash kept, device time 0, harts at the reset address. Powers off: the machine stops. */
void ta_machine_power(struct ta_machine *machine, bool on);
/* Resets harts and devices; memory and device time go on. Powers on when off. */
void ta_machine_reset(struct ta_machine *machine);

/* Runs until the next event or until device time UNTIL_NS, whichever is first, and fills EVENT. A board of several harts ends with a
   turn, up to 20 us later. A machine that stopped
   lets the time pass. Events at one instant come one a call, in the order in which they happened. */
void ta_machine_run(struct ta_machine *machine, uint64_t until_ns, struct ta_event *event);

/* Executes COUNT instructions of HART at the most (for debuggers), interrupts included; the other harts run when it is their turn, as in a run
   that nobody looks into. Ends early at an
   event, which fills EVENT as above, where HART waits for something that will not come by itself, and at once where there is no HART. */
void ta_machine_step(struct ta_machine *machine, unsigned hart, uint64_t count, struct ta_event *event);

uint64_t ta_machine_time_ns(const struct ta_machine *machine);
/* Instructions retired since power-on, all harts together. */
uint64_t ta_machine_retired(const struct ta_machine *machine);
/* Why it is not running, or TA_STOP_NONE. */
enum ta_stop ta_machine_stopped(const struct ta_machine *machine);
/* A digest of every event since power-on with its cycle, and of the cycles and instructions so far. It is that of the undisturbed run:
   breakpoints, watchpoints and steps are none of it. */
uint64_t ta_machine_trace(const struct ta_machine *machine);

/* Copies between the machine's memory and BYTES, for flash and RAM, powered or not; a range that leaves memory is
   refused whole. Devices are not reached. */
enum ta_status ta_machine_read(const struct ta_machine *machine, uint64_t address, void *bytes, size_t size_bytes);
enum ta_status ta_machine_write(struct ta_machine *machine, uint64_t address, const void *bytes, size_t size_bytes);

/* What the device of that name keeps without power, a card's contents: how many bytes, 0 for none, and copies of SIZE_BYTES at OFFSET, powered or
   not. TA_E_INPUT outside of it. */
uint64_t ta_machine_store_size(const struct ta_machine *machine, const char *device);
enum ta_status ta_machine_store_read(const struct ta_machine *machine, const char *device, uint64_t offset, void *bytes,
                                     size_t size_bytes);
enum ta_status ta_machine_store_write(struct ta_machine *machine, const char *device, uint64_t offset,
                                      const void *bytes, size_t size_bytes);

/* Registers of HART, by the numbers of registers.h. */
enum ta_status ta_machine_register(const struct ta_machine *machine, unsigned hart, unsigned number, uint64_t *value);
enum ta_status ta_machine_set_register(struct ta_machine *machine, unsigned hart, unsigned number, uint64_t value);

/* While ON, the branches that each hart takes are noted; the machine runs some twenty times slower. OFF forgets them. */
void ta_machine_note_branches(struct ta_machine *machine, bool on);
/* The last ones of HART, the last one last; how many. */
size_t ta_machine_branches(const struct ta_machine *machine, unsigned hart, struct ta_branch branches[TA_BRANCHES]);

/* Stops with TA_EVENT_BREAKPOINT before the instruction at ADDRESS. Setting one twice is one. */
enum ta_status ta_machine_set_breakpoint(struct ta_machine *machine, uint64_t address, bool on);

/* Stops with TA_EVENT_WATCHPOINT after an instruction that reaches any of SIZE_BYTES from ADDRESS on in one of the ways of
   KINDS (enum ta_access); KINDS 0 takes it away. */
enum ta_status ta_machine_set_watchpoint(struct ta_machine *machine, uint64_t address, uint64_t size_bytes,
                                         unsigned kinds);

/* Types BYTES at the console; what the guest has no room for waits. CLOSED says that no more will come. */
enum ta_status ta_machine_type(struct ta_machine *machine, const void *bytes, size_t length, bool closed);

/* Sets an input by its connector's name: a button (1 pressed, 0 released), a sensor (thousandths of its unit, as int64_t), a switch (its position, counting from 0), a touch panel
   (TA_TOUCH). Reads an output: lamps (a bit each, lamp 1 lowest); or what an input or a switch is set to. TA_E_INPUT when there is none of that name and kind, or the value is out of
   range. */
enum ta_status ta_machine_set_input(struct ta_machine *machine, const char *name, uint64_t value,
                                    struct ta_problem *why);
enum ta_status ta_machine_output(const struct ta_machine *machine, const char *name, uint64_t *value,
                                 struct ta_problem *why);

/* Lets a message of 1 to TA_MESSAGE_BYTES arrive at the radio of that name, which may not hear it. TA_E_INPUT when there is none, or for another
   length. */
enum ta_status ta_machine_message(struct ta_machine *machine, const char *name, const void *text, size_t length,
                                  struct ta_problem *why);

/* Makes PICTURE what the screen of that name shows, to be freed with ta_picture_free: black while it is off. TA_E_INPUT when there is none. */
enum ta_status ta_machine_picture(const struct ta_machine *machine, const char *name, struct ta_picture *picture,
                                  struct ta_problem *why);

/* What the guest's semihosting call SYS_GET_CMDLINE gives (copied); null for none. Off switches semihosting off or on
   whatever the profile says. */
enum ta_status ta_machine_set_command_line(struct ta_machine *machine, const char *text);
void ta_machine_set_semihosting(struct ta_machine *machine, bool on);

#ifdef __cplusplus
}
#endif
#endif
