/* A project that is open: its manifest, and what its setup names. */
#ifndef TA_FLOW_PROJECT_WORKSPACE_H
#define TA_FLOW_PROJECT_WORKSPACE_H

#include "core/build/plan.h"
#include "flow/bench/board.h"
#include "host/toolchains.h"
#include "tameanchor/image.h"

/* All memory is the context's. */
struct workspace {
    struct ta_context *context;
    struct lock lock;
    const char *folder;        /* absolute */
    const char *manifest_name; /* how problems call anchor.yaml */
    struct project project;
    bool configured;
    struct setup setup;   /* when configured */
    struct layout layout; /* of its outputs, when configured */

    /* After workspace_load. */
    struct sdk sdk;
    const char *sdk_folder;
    struct ta_profile profile; /* the effective board */
};

/* Opens the project in FOLDER or the nearest folder above it. With DOING ("build"; null for one that only looks), the project
   is this process's alone until workspace_leave: another one is waited for. */
enum ta_status workspace_open(struct ta_context *context, const char *folder, const char *doing,
                              struct workspace *workspace, struct ta_problem *why);
void workspace_leave(struct workspace *workspace);

/* Loads the SDK and the board that the setup names. TA_E_NO when there is no setup yet. */
enum ta_status workspace_load(struct workspace *workspace, struct ta_problem *why);

/* The compiler that the setup names, ready to use. */
enum ta_status workspace_toolchain(struct workspace *workspace, struct toolchain *toolchain, struct ta_problem *why);

/* The compilers of this computer for PROFILE's ISA. */
enum ta_status workspace_toolchains(struct workspace *workspace, const struct ta_profile *profile,
                                    struct found_toolchains *found, struct ta_problem *why);

/* A path below the project's folder. */
const char *workspace_path(struct workspace *workspace, const char *below);

/* The files that PATTERNS of the manifest's KEY match. A pattern that matches nothing is a problem. */
enum ta_status workspace_files(struct workspace *workspace, const char *key, const struct texts *patterns,
                               struct texts *files, struct ta_problem *why);

/* What is missing on PROFILE of all that the project's needs.board lists; TA_E_NO names the first. */
enum ta_status workspace_board_fits(const struct workspace *workspace, const struct ta_profile *profile,
                                    struct ta_problem *why);

/* The components of the setup and all that they need; the plan of the build. The workspace must be loaded. */
enum ta_status workspace_components(struct workspace *workspace, const struct component ***components, size_t *count,
                                    struct ta_problem *why);
enum ta_status workspace_plan(struct workspace *workspace, const struct toolchain *toolchain, struct plan *plan,
                              struct ta_problem *why);

/* The image that the last build made; TA_E_NO when there is none. */
enum ta_status workspace_image(struct workspace *workspace, struct ta_image *image, struct ta_problem *why);

#endif
