/* Traps in words: what was wrong with what an instruction touched. */
#ifndef TAMEANCHOR_TRAP_H
#define TAMEANCHOR_TRAP_H

#include "tameanchor/event.h"
#include "tameanchor/profile.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What the value of TRAP (an event of that kind) tells on a board of PROFILE, as a sentence without its end: "0x00000044 is not memory;
   a null pointer plus 68?". Empty where it tells nothing. */
enum { TA_TRAP_TEXT_BYTES = 160 };
void ta_trap_explain(const struct ta_profile *profile, const struct ta_event *trap, char text[TA_TRAP_TEXT_BYTES]);

#ifdef __cplusplus
}
#endif
#endif
