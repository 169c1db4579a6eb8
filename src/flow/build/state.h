/* What the last build of a project knew: from which inputs each output came. Private to the project, in .tanchor/. */
#ifndef TA_FLOW_BUILD_STATE_H
#define TA_FLOW_BUILD_STATE_H

#include "flow/project/workspace.h"

#include <glib.h>

struct build_state;

/* A missing or damaged state knows nothing: everything is built again. */
struct build_state *build_state_open(struct workspace *workspace, const struct toolchain *toolchain,
                                     const struct plan *plan);

/* Writes what is known now, and frees. */
enum ta_status build_state_close(struct build_state *state, struct ta_problem *why);

/* The digest of all that goes into a compile step, by content: its arguments, its source and every header that the
   compiler read the last time. Null when that is not known. Freed with g_free. */
char *build_state_step_inputs(struct build_state *state, const struct compile_step *step);

/* The same for a command without a list of headers: ARGUMENTS and FILES. */
char *build_state_inputs(struct build_state *state, const struct texts *arguments, const char *const *files,
                         size_t count);

/* Whether OUTPUT is the one that was made from INPUTS, untouched since; and that it now is. */
bool build_state_is_current(struct build_state *state, const char *output, const char *inputs);
void build_state_made(struct build_state *state, const char *output, const char *inputs);

#endif
