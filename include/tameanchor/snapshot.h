/* Snapshots: the complete state of a machine at one moment, harts, memory that was touched, devices, wake-ups and events that nobody has
   taken yet. A machine that is restored and run goes on bit for bit as the one that was saved. Breakpoints and watchpoints are the
   debugger's and stay as they are. */
#ifndef TAMEANCHOR_SNAPSHOT_H
#define TAMEANCHOR_SNAPSHOT_H

#include "tameanchor/machine.h"

#ifdef __cplusplus
extern "C" {
#endif

struct ta_snapshot;

/* Saves MACHINE, which goes on. *SNAPSHOT is the caller's, to be freed with ta_snapshot_free. TA_E_MEMORY. */
enum ta_status ta_machine_save(const struct ta_machine *machine, struct ta_snapshot **snapshot);

/* Makes MACHINE what the saved one was: the same one, or another one of an equal profile and equal models. TA_E_INPUT when it does not fit, and MACHINE is what it was before. */
enum ta_status ta_machine_restore(struct ta_machine *machine, const struct ta_snapshot *snapshot,
                                  struct ta_problem *why);

/* The same without copying memory: MACHINE copies each page when it first reaches it. So a machine is forked as often as one likes, for
   what each fork does. SNAPSHOT is borrowed, and never changed, until MACHINE is restored or forked anew, powered on, or freed. */
enum ta_status ta_machine_fork(struct ta_machine *machine, const struct ta_snapshot *snapshot, struct ta_problem *why);

void ta_snapshot_free(struct ta_snapshot *snapshot);

/* How many bytes of memory SNAPSHOT takes: little more than what the machine has touched. */
size_t ta_snapshot_size(const struct ta_snapshot *snapshot);

/* A snapshot as bytes, for a file: a version, the digest of what follows, and that, little-endian. The bytes belong to the snapshot. */
const void *ta_snapshot_bytes(struct ta_snapshot *snapshot, size_t *length);

/* Reads BYTES (copied). TA_E_INPUT for what is no snapshot, one of another version, or one that was cut off or altered; whether it fits a
   machine, ta_machine_restore says. */
enum ta_status ta_snapshot_read(const void *bytes, size_t length, struct ta_snapshot **snapshot,
                                struct ta_problem *why);

#ifdef __cplusplus
}
#endif
#endif
