/* The build plan: from project, SDK, setup and profile to the commands that make the image. Pure computation;
   flow/build runs it. */
#ifndef TA_CORE_BUILD_PLAN_H
#define TA_CORE_BUILD_PLAN_H

#include "base/arena.h"
#include "core/build/layout.h"
#include "core/model/models.h"
#include "tameanchor/profile.h"

/* What was found out about a compiler on this computer. Paths are absolute. */
struct toolchain {
    enum compiler_family family;
    const char *version;   /* as the compiler tells it */
    const char *path;      /* the compiler, which is the linker's driver too */
    const char *c_library; /* the folder of picolibc, with include/ and lib/ */
    const char *multilib;  /* the folder below lib/ for the board's ISA, "rv32imac/ilp32" */
    const char *libgcc;    /* libgcc.a for the board's ISA */
};

/* One source to compile. NAME is how people see it ("src/main.c", "strand/core/clock.c"). */
struct compile_step {
    const char *name, *source, *object, *dependencies;
    struct texts arguments;
};

struct plan {
    struct layout out;
    struct compile_step *steps;
    size_t count;
    struct texts note_arguments, link_arguments;
    struct texts libraries; /* archives that the link reads besides the objects */
};

/* What stands before the colon of the rules in which compilers list what they read. */
#define PLAN_RULE "object"

/* What a plan is made from. FOLDER is the project's, absolute: what the image tells of it is ".". SOURCES and INCLUDE
   are the project's, with patterns already replaced by the files that they match, relative to the project. COMPONENTS
   are those of the setup and all that they need, each once, needs first. */
struct plan_inputs {
    const struct project *project;
    const char *folder;
    const struct sdk *sdk;
    const struct setup *setup;
    const struct ta_profile *profile;
    const struct toolchain *toolchain;
    struct texts sources, include;
    bool has_assets; /* which go into the image as resources */
    const struct component **components;
    size_t component_count;
};

/* The CHOSEN components and all that they need, needs first. TA_E_INPUT when the SDK has no such component, or none of the
   version that was chosen. */
enum ta_status plan_components(struct arena *arena, const struct sdk *sdk, const struct pins *chosen,
                               const struct component ***components, size_t *count, struct ta_problem *why);

enum ta_status plan_make(struct arena *arena, const struct plan_inputs *inputs, struct plan *plan,
                         struct ta_problem *why);

#endif
