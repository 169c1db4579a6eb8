/* Builds. */
#ifndef TA_FLOW_BUILD_H
#define TA_FLOW_BUILD_H

#include "flow/project/project.h"
#include "host/commands.h"

#include <time.h>

/* What the last build of a project knew: from which inputs each output came. Private to the project, in .tanchor/. */

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

/* Whether a file that went into STEP was saved at START or later, by the clock that file systems stamp with: what was compiled
   may be another text than the one that is there now. */
bool build_state_saved_since(struct build_state *state, const struct compile_step *step, const struct timespec *start);

/* The files that went into STEP, its source first, as absolute paths; null when that is not known. */
GPtrArray *build_state_files(struct build_state *state, const struct compile_step *step);

/* A file that went into STEP and lies where CONFINEMENT does not allow to read; null when there is none. Freed with g_free. */
char *build_state_read_outside(struct build_state *state, const struct compile_step *step,
                               const struct confinement *confinement);

/* Whether OUTPUT is the one that was made from INPUTS, untouched since; and that it now is. */
bool build_state_is_current(struct build_state *state, const char *output, const char *inputs);
void build_state_made(struct build_state *state, const char *output, const char *inputs);

/* Builds. */

/* What was done; nothing when all was up to date. */
struct built {
    unsigned generated, compiled;
    bool linked;
};

/* Makes the image of WORKSPACE, which is loaded and this process's own, and fills REPORT as ta_build does. TA_E_NO when it cannot
   be made: REPORT says why. */
enum ta_status build_image(struct workspace *workspace, enum ta_edits edits, struct built *built,
                           struct ta_report *report, struct ta_problem *why);

/* A build that is under way: what its parts share. */

struct builder {
    struct workspace *workspace;
    struct built *built;
    struct toolchain toolchain;
    struct plan plan;
    struct build_state *state;
    struct ta_report *report;
    struct ta_problem *why;
    unsigned written, finished, wanted, errors, warnings;
    const char *failed; /* the first source that did not compile */
    GString *said;      /* by compilers and linkers that failed */
    struct ta_identity identity;
    enum ta_edits edits;
    struct confinement confinement; /* what compilers may read and write */
    const char *temporary;
};

/* What the compilers of this build may read and write: the project, the SDK's folders and their own installation; the output
   folder. Makes the temporary folder in it, which builder_unconfine takes away again. */
enum ta_status builder_confine(struct builder *builder);
void builder_unconfine(struct builder *builder);

/* A compiler's command, made of ARGUMENTS. */
struct command builder_command(struct builder *builder, const struct texts *arguments);

/* Counts and passes on what a compiler said; WITH is the builder. */
void builder_heard(const struct command *command, void *with);

/* Runs COUNT commands in the project, several at a time; one, made of ARGUMENTS. */
enum ta_status builder_run(struct builder *builder, struct command *commands, size_t count);
enum ta_status builder_run_one(struct builder *builder, const struct texts *arguments, struct command *command);

/* Writes TEXT, which is freed, to a file that is made from INPUTS; one that somebody edited is told. (generate.c) */
enum ta_status builder_write(struct builder *builder, const char *path, const char *inputs, struct text *text);

/* All that is generated before anything is compiled, so that no error shows up which generating would cure. (generate.c) */
enum ta_status builder_generate(struct builder *builder);

/* The identity of what was compiled, and the image, when it is not up to date. (link.c) */
enum ta_status builder_link(struct builder *builder);

/* What would bring the first header or symbol that compilers and the linker missed: advice, freed with g_free; null when that is not
   known. (missing.c) */
char *builder_missing(struct builder *builder);

/* What others ask of the build without building. */

/* The name of the first source that changed since the last build, or null. The workspace must be loaded. */
const char *build_first_change(struct workspace *workspace);

/* Adds the absolute paths of all that the last build read of the project, the SDK and what else the user can change; not what it
   generated. The workspace must be loaded. */
void build_inputs(struct workspace *workspace, GPtrArray *paths);

#endif
