/* --watch: the same again at each save. */
#ifndef CLI_WATCHING_H
#define CLI_WATCHING_H

#include "cli/session.h"

/* Does STEP and answers, then waits until something that counts is saved, and again, until the user interrupts. The status is that of
   the last time. */
enum ta_status watching(struct session *session, enum ta_status (*step)(struct session *session));

/* Whether something was saved since STEP began; WITH is the session. */
bool watching_saved(void *with);

#endif
