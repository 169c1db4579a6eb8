/* A project that is open: its manifest, and what its setup names. */
#ifndef TA_FLOW_PROJECT_H
#define TA_FLOW_PROJECT_H

#include "base/text.h"
#include "flow/bench/bench.h"
#include "host/toolchains.h"
#include "tameanchor/chain.h"
#include "tameanchor/image.h"

/* The setup.yaml that came with an import. */
#define PROPOSED_SETUP "proposed-setup.yaml"

/* All memory is the context's. */
struct workspace {
    struct ta_context *context;
    struct lock lock;
    const char *folder;        /* absolute */
    const char *manifest_name; /* how problems call anchor.yaml */
    struct project project;
    bool configured;
    struct setup setup;     /* when configured */
    const char *setup_text; /* as its file had it */
    struct layout layout;   /* of its outputs, when configured */

    /* After workspace_load. */
    struct sdk sdk;
    const char *sdk_folder;
    struct ta_profile profile;  /* the effective board */
    const char *target_made_of; /* what target_made_of said when PROFILE was read */

    struct read_image *images; /* those that were read, by the stamps of their files; null before the first */
};

/* Opens the project in FOLDER or the nearest folder above it. With DOING ("build"; null for one that only looks), the project
   is this process's alone until workspace_leave: another one is waited for. */
enum ta_status workspace_open(struct ta_context *context, const char *folder, const char *doing,
                              struct workspace *workspace, struct ta_problem *why);
void workspace_leave(struct workspace *workspace);

/* Loads the SDK and the board that the setup names. TA_E_NO when there is no setup yet. */
enum ta_status workspace_load(struct workspace *workspace, struct ta_problem *why);

/* TA_OK, or TA_E_NO: "tide-lamp is not configured yet". */
enum ta_status workspace_is_configured(const struct workspace *workspace, struct ta_problem *why);

/* *TARGET, where that is null, becomes the target of the project in FOLDER. */
enum ta_status target_of_folder(struct ta_context *context, const char *folder, const char **target,
                                struct ta_problem *why);

/* The name of the group of harts that runs the INDEX-th image of the manifest; null for the board's first group. */
const char *workspace_harts(const struct workspace *workspace, size_t index);

/* The compiler that the setup names, ready to use for ISA. */
enum ta_status workspace_toolchain(struct workspace *workspace, const char *isa, struct toolchain *toolchain,
                                   struct ta_problem *why);

/* The compilers of this computer for ISA. */
enum ta_status workspace_toolchains(struct workspace *workspace, const char *isa, struct found_toolchains *found,
                                    struct ta_problem *why);

/* A path below the project's folder. */
const char *workspace_path(struct workspace *workspace, const char *below);

/* Whether PATH, which the manifest's KEY names, may be used: a plain file, or, with FOLDER, a folder or nothing yet, that really
   lies in the project; outside too when the user imported it in place. TA_E_INPUT says what is wrong with it. */
enum ta_status workspace_path_check(struct workspace *workspace, const char *key, const char *path, bool folder,
                                    struct ta_problem *why);

/* The files that PATTERNS of the manifest's KEY match, each checked. A pattern that matches nothing is a problem. */
enum ta_status workspace_files(struct workspace *workspace, const char *key, const struct texts *patterns,
                               struct texts *files, struct ta_problem *why);

/* The project's sources, those of all its images among them, each once. */
enum ta_status workspace_sources(struct workspace *workspace, struct texts *files, struct ta_problem *why);

/* Whether PROFILE has the connectors that these components of an SDK drive. */
enum ta_status components_fit_board(struct ta_context *context, const struct sdk *sdk, const struct pins *components,
                                    const struct ta_profile *profile, struct ta_problem *why);

/* What is missing on PROFILE of all that the project's needs.board lists; TA_E_NO names the first. */
enum ta_status workspace_board_fits(const struct workspace *workspace, const struct ta_profile *profile,
                                    struct ta_problem *why);

/* The components of the setup and all that they need; the plan of the build. The workspace must be loaded. */
enum ta_status workspace_components(struct workspace *workspace, const struct component ***components, size_t *count,
                                    struct ta_problem *why);
/* The time that builds carry, when SOURCE_DATE_EPOCH tells one, which SAID says; TA_E_USAGE when that is no number. */
enum ta_status workspace_epoch(int64_t *epoch_s, bool *said, struct ta_problem *why);
/* The time that images carry: what SOURCE_DATE_EPOCH says; else when the project was committed, where it lies in a clean checkout; else
   SAVED_NS, when the newest of their files was saved. */
int64_t workspace_time_s(const struct workspace *workspace, int64_t saved_ns);
enum ta_status workspace_plan(struct workspace *workspace, const struct ta_build *build, struct plan *plan,
                              struct ta_problem *why);

/* The images that the last build made, in the order of the manifest; TA_E_NO when one is not there. They carry one identity. */
struct images {
    struct ta_image *items;
    size_t count;
    int *files; /* while they are held */
};
enum ta_status workspace_images(struct workspace *workspace, struct images *images, struct ta_problem *why);
/* Holds the files of IMAGES open: what is read of them from then on is what was read before, whatever is built meanwhile. */
void images_hold(struct workspace *workspace, struct images *images);
void images_release(struct images *images);
/* The INDEX-th of them. */
enum ta_status workspace_image(struct workspace *workspace, size_t index, struct ta_image *image,
                               struct ta_problem *why);

/* The identity that all IMAGES carry; zeros when there are none. */
struct ta_identity images_identity(const struct images *images);

/* The one of IMAGES that takes ADDRESS while it runs; never null. */
const struct ta_image *images_at(const struct images *images, uint64_t address);

/* A project's settings: what the manifest asks for, what settings.env says, and whether the two fit. */

#define SETTINGS_FILE "settings.env"

/* The first line of a .gitignore that import wrote. */
#define GITIGNORE_HEAD "# Written by tanchor import: what is made anew, and values of your own.\n"

/* Checks all of them, a finding each; problems carry a fix that can be pasted. Secrets are never shown. */
enum ta_status settings_check(struct workspace *workspace, struct ta_report *report, struct ta_problem *why);

/* Writes the "NAME=VALUE" texts of PAIRS (ends with null) to settings.env, which is made when it is not there. The rest of the
   file stays as it is. */
enum ta_status settings_set(struct workspace *workspace, const char *const *pairs, struct ta_report *report,
                            struct ta_problem *why);

/* Writes settings.env with a placeholder for each setting, unless it is there. */
enum ta_status settings_template(struct workspace *workspace, struct ta_report *report, struct ta_problem *why);

/* Takes blanks before and behind values away, where that makes a value right. *MENDED says how many. */
enum ta_status settings_mend(struct workspace *workspace, unsigned *mended, struct ta_report *report,
                             struct ta_problem *why);

/* Whether a project asks for what others may not read: its image and all on the way to it may not be read either. */
bool settings_are_secret(const struct project *project);

/* The values as a header for the image, SETTING_NAME each. TA_E_NO when one that is needed is missing. */
enum ta_status settings_header(struct workspace *workspace, struct text *header, struct ta_problem *why);

/* Generated files of a build: each says in its head what it was made from and what it holds, so that one which somebody edited
   is found before it is written again. */

/* What stands behind the name of a generated file in that of a copy which holds somebody's edits. */
#define EDITED_COPY ".edited"

/* Writes BODY to PATH, below the project, when it is not there or was made from other INPUTS (a text). One that was edited is,
   by EDITS, a problem in REPORT with the difference (TA_E_NO), kept as PATH.edited, or written over. BODY is freed. *WRITTEN
   tells whether there was something to do. */
enum ta_status generated_write(struct workspace *workspace, const char *path, const char *inputs, struct text *body,
                               enum ta_edits edits, bool *written, struct ta_report *report, struct ta_problem *why);

/* Whether generated_write would write BODY, which is kept. */
enum ta_status generated_is_other(struct workspace *workspace, const char *path, const char *inputs, struct text *body,
                                  bool *other);

/* Whether the file at PATH, below the project, was edited since it was generated. */
bool generated_is_edited(struct workspace *workspace, const char *path);

#endif
