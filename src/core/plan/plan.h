/* The build plan: from project, SDK, setup and profile to a graph of actions that make the image. Pure computation; flow/builder runs
   it. */
#ifndef TA_CORE_PLAN_PLAN_H
#define TA_CORE_PLAN_PLAN_H

#include "base/arena.h"
#include "core/model/models.h"
#include "core/plan/generate.h"
#include "core/plan/layout.h"
#include "tameanchor/profile.h"

/* What was found out about a compiler on this computer. Paths are absolute. */
struct toolchain {
    enum compiler_family family;
    const char *version;   /* as the compiler tells it */
    const char *path;      /* the compiler, which is the linker's driver too */
    const char *c_library; /* the folder of picolibc, with include/ and lib/ */
    const char *multilib;  /* the folder below lib/ for the board's ISA, "rv32imac/ilp32" */
    const char *libgcc;    /* libgcc.a for the board's ISA */
    const char *headers;   /* the folder of the compiler's own, stddef.h among them; empty when it does not tell */
};

/* What an action is for. A command is a program that is run; the builder carries out the others by itself. */
#define ACTION_TABLE(X)                                                                                                \
    X(ACTION_GENERATE, "generate")                                                                                     \
    X(ACTION_COMPILE, "compile")                                                                                       \
    X(ACTION_ARCHIVE, "archive")                                                                                       \
    X(ACTION_LINK, "link")                                                                                             \
    X(ACTION_CONVERT, "convert")                                                                                       \
    X(ACTION_CHECK, "check")

enum action_kind {
#define ACTION_ENUM(name, word) name,
    ACTION_TABLE(ACTION_ENUM)
#undef ACTION_ENUM
        ACTION_KINDS
};
extern const char *const action_kind_words[ACTION_KINDS];

enum work {
    WORK_COMMAND,
    WORK_SCRIPT,        /* the linker script */
    WORK_HEADER,        /* board.h */
    WORK_SETTINGS,      /* settings.h */
    WORK_RESOURCES,     /* resources.h, resources.S */
    WORK_FABRIC_HEADER, /* fabric.h */
    WORK_FABRIC,        /* the fabric's image, of its description */
    WORK_DATABASE,      /* compile_commands.json */
    WORK_IDENTITY,      /* identity.o, the note with the digest of all that was compiled */
    WORK_BINARY,        /* the image as raw bytes, Intel HEX, S-records */
    WORK_HEX,
    WORK_SREC,
    WORK_CARD,   /* all images on a card to start from */
    WORK_MEMORY, /* whether the image fits, and what takes how much of each memory */
    WORK_APP,    /* an app package for an emulator */
};

/* One step of a build, for the image IMAGE of the plan: it reads INPUTS and makes OUTPUTS, the main one first; paths are relative to the project, or absolute. NAME is how
   people see it ("src/main.c", "board.ld"). Its command is HEAD, which many actions share, and TAIL behind it. DEPENDENCIES (may be
   null) is where the compiler lists what else it read; of that, READY must be made before. NEEDS are the actions whose outputs it reads,
   all of them further up in the plan. */
struct action {
    enum action_kind kind;
    enum work work;
    size_t image;
    const char *name;
    const struct texts *head;
    struct texts tail;
    struct texts inputs, outputs;
    const struct texts *ready;
    const char *dependencies;
    const size_t *needs;
    size_t need_count;
};

/* One of the images: what it is made from, where it lies, the archives that its link reads besides the objects, and that link. */
struct planned_image {
    const struct image_inputs *in;
    const struct image_layout *out;
    struct texts libraries;
    const struct action *link;
};

struct plan {
    struct layout out;
    struct action *actions;
    size_t count;
    size_t sources;       /* how many of them compile what the author or the SDK wrote */
    struct texts folders; /* where compilers look for headers, in this order */
    struct planned_image *images;
    size_t image_count;
};

/* What stands before the colon of the rules in which compilers list what they read. */
#define PLAN_RULE "object"

/* A file that compilers are told to read, and that holds nothing. */
#define PLAN_NOTHING "/dev/null"

/* What is the image's own: its harts and their memory, the compiler for their ISA, sources and the rest beside those of all images. */
struct image_inputs {
    struct image_place place;
    struct toolchain toolchain;
    struct texts sources, include, defines;
};

/* What a plan is made from. IMAGES are as many as the project has, one at least. FOLDER is the project's, absolute: what the image tells of it is ".". SOURCES and INCLUDE
   are the project's, with patterns already replaced by the files that they match, relative to the project. COMPONENTS
   are those of the setup and all that they need, each once, needs first. */
struct plan_inputs {
    const struct project *project;
    const char *folder;
    const struct sdk *sdk;
    const struct setup *setup;
    const struct ta_profile *profile;
    const struct image_inputs *images;
    size_t image_count;
    struct texts sources, include, assets; /* assets go into the image as resources */
    bool hex, srec, card;                  /* which forms of the image are wanted beside ELF and raw bytes */
    const char *date, *time; /* what __DATE__ ("Jan  1 1970") and __TIME__ stand for: never when it was compiled */
    const struct component **components;
    size_t component_count;
};

/* The CHOSEN components and all that they need, needs first. TA_E_INPUT when the SDK has no such component, or none of the
   version that was chosen. */
enum ta_status plan_components(struct arena *arena, const struct sdk *sdk, const struct pins *chosen,
                               const struct component ***components, size_t *count, struct ta_problem *why);

/* TA_E_INPUT when two sources would make one object, or two images would lie in one memory. */
enum ta_status plan_make(struct arena *arena, const struct plan_inputs *inputs, struct plan *plan,
                         struct ta_problem *why);

/* The action of PLAN that does WORK, or null. */
const struct action *plan_action(const struct plan *plan, enum work work);

/* How long it takes from the begin of each action to the end of the build when nothing has to wait: its own SECONDS and those of the
   longest chain that needs it. Actions with the greatest WEIGHT should begin first. */
void plan_weigh(const struct plan *plan, const double *seconds, double *weights);

#endif
