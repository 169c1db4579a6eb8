/* The chain: import -> configure -> build -> deploy -> verify. Each step takes a context and a project's folder, fills a report,
   and answers as context.h says. */
#ifndef TAMEANCHOR_CHAIN_H
#define TAMEANCHOR_CHAIN_H

#include "tameanchor/context.h"
#include "tameanchor/live.h"
#include "tameanchor/picture.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What to import. SOURCE is an example of the catalog by name, a folder, an archive (.zip, .tar, .tar.gz, .tar.xz,
   .tar.zst) or a git repository (a URL, or a path that ends in .git). The rest may be null or false. */
struct ta_import {
    size_t size_bytes;
    const char *source;
    const char *destination; /* a folder that is not there or empty; null: of the source's name, here */
    const char *ref;         /* of a repository: branch or tag */
    const char *subfolder;   /* where in the source the project is; null: it is looked for */
    bool in_place;           /* use a folder where it is: nothing is copied, and it may read what lies outside it */
    bool gather;             /* copy in what the manifest and #includes name outside the folder */
    bool anyway;             /* import in spite of findings that are problems */
};

/* Makes a project. Runs nothing of what it imports. A source without anchor.yaml that has C sources gets a draft. Facts:
   project (its folder), files. */
enum ta_status ta_import(struct ta_context *context, const struct ta_import *request, struct ta_report *report,
                         struct ta_problem *why);

/* What the user chose; null leaves the choice open. */
struct ta_choices {
    size_t size_bytes;
    const char *sdk;      /* "strand" or "strand@2.1.0" */
    const char *compiler; /* "gcc", "clang" or "clang@14.0.6" */
    const char *target;   /* a target on the bench, or the name of a profile to make one from */
    const char *optimise; /* "size", "speed" or "debug" */
    const char *launcher; /* "ccache" or "distcc" in front of the compiler, "none" */
    const char *stack, *heap, *console_speed, *clock; /* "4 KiB", "9600", "8 MHz"; "default" takes a choice back */
    const char *const *with, *const *without;         /* components, "chime" or "chime@1.1.0"; each ends with null */
    const char *const *settings;                      /* "NAME=VALUE", written to settings.env; ends with null */
};

enum ta_status ta_configure(struct ta_context *context, const char *folder, const struct ta_choices *choices,
                            struct ta_report *report, struct ta_problem *why);

/* What this computer has for the project: SDKs, components, compilers, C libraries, targets, licences. */
enum ta_status ta_configure_list(struct ta_context *context, const char *folder, struct ta_report *report,
                                 struct ta_problem *why);

/* The setup as it is; compared with the one that was verified last (fact: changes); replaced by that one. */
enum ta_setup_look { TA_SETUP_SHOW, TA_SETUP_DIFF, TA_SETUP_BACK };
enum ta_status ta_configure_look(struct ta_context *context, const char *folder, enum ta_setup_look look,
                                 struct ta_report *report, struct ta_problem *why);

/* Checks all that the project needs; what is wrong comes first. With FIX, mends before what is safe to mend, and says so. */
enum ta_status ta_ready(struct ta_context *context, const char *folder, bool fix, struct ta_report *report,
                        struct ta_problem *why);

/* What becomes of generated files that somebody edited by hand: the build is refused with the difference; they are put aside as
   NAME.edited; they are lost. */
enum ta_edits { TA_EDITS_REFUSED, TA_EDITS_KEPT_ASIDE, TA_EDITS_LOST };

/* What builds left goes first: that of the setup as it is, or of all setups. TA_E_NO when generated files were edited by hand, which would
   be lost. */
enum ta_clean { TA_CLEAN_NOTHING, TA_CLEAN_SETUP, TA_CLEAN_ALL };

/* How to build; zero is the usual. */
struct ta_build {
    size_t size_bytes;
    enum ta_edits edits;
    unsigned jobs;      /* how many compilers at once; 0: as many as this computer has processors, two at least */
    bool keep_going;    /* compile the rest when one source fails */
    bool without_cache; /* take no object that was compiled before, and keep none */
    bool hex, srec;     /* the image as Intel HEX and as S-records, too */
    bool card;          /* all images as the contents of a card to start from (boot.h) */
    enum ta_clean clean;
};

/* Makes the image. BUILD may be null. Facts: elf, identity, compiled, cached (objects that were compiled before), errors, warnings, and
   NAME_used and NAME_size of each memory. Table messages: what compilers said. */
enum ta_status ta_build(struct ta_context *context, const char *folder, const struct ta_build *build,
                        struct ta_report *report, struct ta_problem *why);

/* Tells what ta_build would do and why, and does nothing: table plan. With PICTURE, a path, draws it there as a PNG. */
enum ta_status ta_build_plan(struct ta_context *context, const char *folder, const struct ta_build *build,
                             const char *picture, struct ta_report *report, struct ta_problem *why);

/* Whose the project's files are: the author's, the user's own, generated ones, those of the SDK. Facts: author, generated, sdk. */
enum ta_status ta_show_files(struct ta_context *context, const char *folder, struct ta_report *report,
                             struct ta_problem *why);

/* Deploy, run and verify first bring up to date what they stand on: they generate, compile, link and program where that is
   needed, say so in a finding each, and answer as ta_build does when the image cannot be built. Facts of all three: identity,
   compiled, programmed (1 when the target had to be programmed). */

/* What to deploy. AS_IS: the image as it was built last. IMAGE (may be null) is another one: ELF, Intel HEX, S-records, raw bytes or an app
   package; it goes to TARGET, or, when that is null, to the project's. */
struct ta_deploy {
    size_t size_bytes;
    bool as_is;
    const char *image, *target;
};

/* Puts the image on the target and reads back what is there. DEPLOY may be null. */
enum ta_status ta_deploy(struct ta_context *context, const char *folder, const struct ta_deploy *deploy,
                         struct ta_report *report, struct ta_problem *why);

/* What to show: IMAGE, a file; or what TARGET holds; or, when both are null, the image of the project that was built last. PROFILE (may be
   null) is the board of an image that does not tell its own. BILL (may be null) is a file to write the bill of materials to: SPDX 2.3 as
   JSON. */
struct ta_show {
    size_t size_bytes;
    const char *image, *target, *profile, *bill;
};

/* Where an image came from: record image, tables components, contents (each file that was compiled, with its SHA-256, as far as the image or
   the project tells), differences (of the contents from the project in FOLDER as it is now). */
enum ta_status ta_show_image(struct ta_context *context, const char *folder, const struct ta_show *show,
                             struct ta_report *report, struct ta_problem *why);

/* What the project's image takes of each memory, its largest symbols, and what changed since the build before and since it was verified:
   tables memory, symbols. With PICTURE, a path, draws it there as a PNG. */
enum ta_status ta_show_memory(struct ta_context *context, const char *folder, const char *picture,
                              struct ta_report *report, struct ta_problem *why);

/* What TARGET (null: the project's in FOLDER) showed when its last run ended: table outputs. With SCREEN, a path, writes what its screen showed
   there as a PNG. TA_E_NO when it has shown nothing yet. */
enum ta_status ta_show_outputs(struct ta_context *context, const char *folder, const char *target, const char *screen,
                               struct ta_report *report, struct ta_problem *why);

/* What to run and for how long. IMAGE null: the project's own; AS_IS: what the target holds. A bare IMAGE needs TARGET (on the
   bench) or PROFILE (a name or a file; the target is thrown away afterwards). */
struct ta_run {
    size_t size_bytes;
    const char *image, *target, *profile;
    const char *command_line; /* of the program, without its name, for semihosting; may be null */
    uint64_t for_ns;          /* device time; 0: until the program ends */
    bool real_time;           /* keep pace with the host's clock, for people who watch */
    bool no_semihosting, as_is;
    const char *screen;        /* a file to write what the screen shows at the end to, as a PNG; may be null */
    const char *const *inputs; /* INPUT_COUNT lines that ta_live_do takes, done before the power comes on */
    size_t input_count;
    /* Called when the program is about to begin, with what was found until then: the place to listen to LIVE and to attend it, which lasts
       until the run ends. What it answers but TA_OK ends the run with that. May be null. */
    enum ta_status (*begins)(void *with, struct ta_live *live, const struct ta_report *report, struct ta_problem *why);
    void *with;
};

/* Facts: stop (the reason), exit_code, time_ns. TA_E_NO when the program ran wild. */
enum ta_status ta_run(struct ta_context *context, const char *folder, const struct ta_run *run,
                      struct ta_report *report, struct ta_problem *why);

/* Which trials to run: those whose names contain one of the ONLY_COUNT texts of ONLY, or all; AS_IS: with what the target holds. */
struct ta_verify {
    size_t size_bytes;
    const char *const *only;
    size_t only_count;
    bool as_is;
};

/* Runs the project's trials. WHICH may be null: all. Facts: passed, failed, trace (a digest over all trials' traces). */
enum ta_status ta_verify(struct ta_context *context, const char *folder, const struct ta_verify *which,
                         struct ta_report *report, struct ta_problem *why);

/* The trials that there are: table trials. */
enum ta_status ta_trials_list(struct ta_context *context, const char *folder, struct ta_report *report,
                              struct ta_problem *why);

/* Where a project stands in the chain, and the next step. */
enum ta_status ta_standing(struct ta_context *context, const char *folder, struct ta_report *report,
                           struct ta_problem *why);

/* The whole chain on the bundled example, in FOLDER (null: a temporary one) with a bench of its own. STEP is told of
   each step's name and report as it ends; REPORT is of the whole. */
enum ta_status ta_demo(struct ta_context *context, const char *folder,
                       void (*step)(void *with, const char *name, const struct ta_report *report), void *with,
                       struct ta_report *report, struct ta_problem *why);

#ifdef __cplusplus
}
#endif
#endif
