/* The chain: import -> configure -> build -> deploy -> verify. Each step takes a context and a project's folder, fills
   a report, and answers TA_OK, TA_E_NO when the answer is no (the report's findings say why), or an error with a
   problem. A step that did not succeed leaves nothing half written, and can be run again. */
#ifndef TAMEANCHOR_CHAIN_H
#define TAMEANCHOR_CHAIN_H

#include "tameanchor/report.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How far a step is. TOTAL 0: not known; LEFT_S below 0: not known. IN_BYTES: DONE and TOTAL are bytes, else things. */
struct ta_progress {
    const char *what;
    uint64_t done, total;
    bool in_bytes;
    double bytes_per_s, left_s;
};

/* What a caller is asked to agree to. */
enum ta_question { TA_ASK_FETCH, TA_ASK_LICENCE };

/* Where things are, and how to talk to the caller. Fields may be set between new and the first step; the texts are the
   context's own, replaced with ta_context_set. */
struct ta_context {
    const char *catalog; /* the bundled catalog's folders, joined by ":"; of one name, the first holds */
    const char *home;    /* the bench and what else lasts */
    const char *cache;   /* what can be found out again */

    /* Asked now and then; true ends the step with TA_E_INTERRUPTED. May be null. */
    bool (*cancelled)(void *with);
    /* Told of progress. May be null. */
    void (*progress)(void *with, const struct ta_progress *progress);
    /* Asked before packages are fetched, and before a licence is accepted, whose text is TEXT (null for fetching). Null
       stands for one that always says no. */
    bool (*agrees)(void *with, enum ta_question question, const char *about, const char *text);
    /* Given what compilers say, whole lines, as soon as one of them ends. May be null. */
    void (*compiler_output)(void *with, const char *text);
    void *with;
};

/* Takes the folders from the environment: TANCHOR_CATALOG, folders joined by ":", else the catalog beside the program; TANCHOR_HOME, else the
   XDG base directories. */
enum ta_status ta_context_new(struct ta_context **context, struct ta_problem *why);
void ta_context_free(struct ta_context *context);
enum ta_status ta_context_set(struct ta_context *context, const char *catalog, const char *home);

/* What to look for in the catalog: all of the words, in names, titles and summaries. The rest may be null. */
struct ta_catalog_query {
    const char *const *words;
    size_t word_count;
    const char *kind;      /* "example", "sdk", "component", "board", "emulator" or "platform" */
    const char *board;     /* examples that fit this profile */
    const char *component; /* what needs or holds this component */
};

/* Lists what there is; for each example, the targets that it fits, or why it fits none. Fact: found. TA_E_NO when there is
   nothing. */
enum ta_status ta_catalog(struct ta_context *context, const struct ta_catalog_query *query, struct ta_report *report,
                          struct ta_problem *why);

/* All about one example, profile or SDK (NAME or NAME@VERSION). */
enum ta_status ta_catalog_show(struct ta_context *context, const char *name, struct ta_report *report,
                               struct ta_problem *why);

/* The places that packages come from, in their order: "bundled", folders, archives, addresses of depots. PLACE is put
   first, put last, or taken away; a folder or an archive must have a catalog's shape. */
enum ta_place_change { TA_PLACE_FIRST, TA_PLACE_LAST, TA_PLACE_FORGET };
enum ta_status ta_catalog_place(struct ta_context *context, const char *place, enum ta_place_change change,
                                struct ta_report *report, struct ta_problem *why);
enum ta_status ta_catalog_places(struct ta_context *context, struct ta_report *report, struct ta_problem *why);

/* Signs in at the depot PLACE. The password is sent and forgotten; the token (RFC 6750) that it gives is kept in the home,
   readable by its owner alone. Over http only on this computer, else https is needed. */
enum ta_status ta_sign_in(struct ta_context *context, const char *place, const char *account, const char *password,
                          struct ta_report *report, struct ta_problem *why);
enum ta_status ta_sign_out(struct ta_context *context, const char *place, struct ta_report *report,
                           struct ta_problem *why);

/* Shows the licence that a package of a depot asks to accept, and accepts it when the context agrees: the text's digest and
   the time are kept in the home. */
enum ta_status ta_licence_accept(struct ta_context *context, const char *package, struct ta_report *report,
                                 struct ta_problem *why);

/* Keeps the licence of a component that is in FILE, a token (RFC 7519, EdDSA) which the component's publisher signed for this
   user; gets one to try the component for thirty days from a depot. A licence that does not hold is refused. */
enum ta_status ta_licence_add(struct ta_context *context, const char *file, struct ta_report *report,
                              struct ta_problem *why);
enum ta_status ta_licence_evaluate(struct ta_context *context, const char *component, struct ta_report *report,
                                   struct ta_problem *why);

/* Trusts the publisher whose public Ed25519 key (PEM) is in FILE: packages that it signed are installed. */
enum ta_status ta_publisher_trust(struct ta_context *context, const char *file, struct ta_report *report,
                                  struct ta_problem *why);

/* Packs what the catalog has as NAME or NAME@VERSION into FILE (null: NAME-VERSION.tar.gz, here): package.yaml with the
   SHA-256 of every file, and the files as they lie in the catalog (docs/formats.md). Equal contents give equal packages.
   KEY (may be null) is the file of a private Ed25519 key that signs package.yaml; ACCEPT (may be null) the name of the
   licence text that a depot shall want accepted first. Fact: file. */
struct ta_packing {
    const char *name, *file, *key, *accept;
};
enum ta_status ta_package_pack(struct ta_context *context, const struct ta_packing *packing, struct ta_report *report,
                               struct ta_problem *why);

/* Packs an example and all that it needs, the newest SDKs that fit and the boards that it fits, into one FILE (null:
   NAME-VERSION-bundle.tar.gz, here), for a computer without a network. Fact: file. */
enum ta_status ta_package_bundle(struct ta_context *context, const struct ta_packing *packing, struct ta_report *report,
                                 struct ta_problem *why);

/* Installs the package, or the packages of the bundle, in FILE beside those that are there, after checking every digest, and
   the signature against the publishers' public keys in the home's folder keys/. What is no file is the NAME or
   NAME@VERSION of a package that a depot offers, which is fetched. Removes NAME@VERSION, unless a target of the bench or a
   project uses it and ANYWAY is not said. Installed packages are part of the catalog. */
enum ta_status ta_package_add(struct ta_context *context, const char *file, struct ta_report *report,
                              struct ta_problem *why);
enum ta_status ta_package_remove(struct ta_context *context, const char *name, bool anyway, struct ta_report *report,
                                 struct ta_problem *why);

/* What to import. SOURCE is an example of the catalog by name, a folder, an archive (.zip, .tar, .tar.gz, .tar.xz,
   .tar.zst) or a git repository (a URL, or a path that ends in .git). The rest may be null or false. */
struct ta_import {
    const char *source;
    const char *destination; /* a folder that is not there or empty; null: of the source's name, here */
    const char *ref;         /* of a repository: branch or tag */
    const char *subfolder;   /* where in the source the project is; null: it is looked for */
    bool in_place;           /* use a folder where it is, nothing is copied */
    bool gather;             /* copy in what the manifest and #includes name outside the folder */
    bool anyway;             /* import in spite of findings that are problems */
};

/* Makes a project. Runs nothing of what it imports. A source without anchor.yaml that has C sources gets a draft. Facts:
   project (its folder), files. */
enum ta_status ta_import(struct ta_context *context, const struct ta_import *request, struct ta_report *report,
                         struct ta_problem *why);

/* The bench: the targets that the user has, each made from a profile. SET are "KEY=VALUE" texts, keys of the profile that are other
   for this target ("memory.ram.size=128 KiB"), STATE "SWITCH=POSITION" texts; both end with null and may be null. Adding
   refuses a name that is there; removing takes the target's flash with it. */
enum ta_status ta_bench_list(struct ta_context *context, struct ta_report *report, struct ta_problem *why);
enum ta_status ta_bench_show(struct ta_context *context, const char *name, struct ta_report *report,
                             struct ta_problem *why);
enum ta_status ta_bench_add(struct ta_context *context, const char *name, const char *profile, const char *const *set,
                            struct ta_report *report, struct ta_problem *why);
enum ta_status ta_bench_switch(struct ta_context *context, const char *name, const char *const *state,
                               struct ta_report *report, struct ta_problem *why);
enum ta_status ta_bench_remove(struct ta_context *context, const char *name, struct ta_report *report,
                               struct ta_problem *why);

/* What the user chose; null leaves the choice open. */
struct ta_choices {
    const char *sdk;      /* "strand" or "strand@2.1.0" */
    const char *compiler; /* "gcc", "clang" or "clang@14.0.6" */
    const char *target;   /* a target on the bench, or the name of a profile to make one from */
    const char *optimise; /* "size", "speed" or "debug" */
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

/* Facts: elf, identity, compiled, errors, warnings, flash_used, flash_size, ram_used, ram_size. */
enum ta_status ta_build(struct ta_context *context, const char *folder, struct ta_report *report,
                        struct ta_problem *why);

/* The same, saying what becomes of generated files that somebody edited by hand: the build is refused with the difference, as
   ta_build does; they are put aside as NAME.edited; they are lost. */
enum ta_edits { TA_EDITS_REFUSED, TA_EDITS_KEPT_ASIDE, TA_EDITS_LOST };
enum ta_status ta_build_edited(struct ta_context *context, const char *folder, enum ta_edits edits,
                               struct ta_report *report, struct ta_problem *why);

/* Whose the project's files are: the author's, the user's own, generated ones, those of the SDK. Facts: author, generated, sdk. */
enum ta_status ta_show_files(struct ta_context *context, const char *folder, struct ta_report *report,
                             struct ta_problem *why);

/* Facts: identity, programmed (1 when the target had to be programmed). */
enum ta_status ta_deploy(struct ta_context *context, const char *folder, struct ta_report *report,
                         struct ta_problem *why);

/* What to run and for how long. IMAGE null: the project's own, deployed where needed. A bare IMAGE needs TARGET (on the
   bench) or PROFILE (a name or a file; the target is thrown away afterwards). */
struct ta_run {
    const char *image, *target, *profile;
    const char *command_line; /* for semihosting; may be null */
    uint64_t for_ns;          /* device time; 0: until the program ends */
    bool real_time;           /* keep pace with the host's clock, for people who watch */
    bool no_semihosting;
    /* Given what the target writes. Asked for what is typed: fills at most SIZE bytes and returns how many; 0 for none
       now, -1 for never again. Either may be null. */
    void (*console)(void *with, const uint8_t *bytes, size_t length);
    int (*input)(void *with, uint8_t *bytes, size_t size);
    void *with;
};

/* Facts: stop (the reason), exit_code, time_ns. TA_E_NO when the program ran wild. */
enum ta_status ta_run(struct ta_context *context, const char *folder, const struct ta_run *run,
                      struct ta_report *report, struct ta_problem *why);

/* Runs the project's trials: those whose names contain one of the COUNT texts of ONLY, or all. Facts: identity, passed,
   failed, trace (a digest over all trials' traces). */
enum ta_status ta_verify(struct ta_context *context, const char *folder, const char *const *only, size_t count,
                         struct ta_report *report, struct ta_problem *why);

/* Where a project stands in the chain, and the next step. */
enum ta_status ta_standing(struct ta_context *context, const char *folder, struct ta_report *report,
                           struct ta_problem *why);

/* The whole chain on the bundled example, in FOLDER (null: a temporary one) with a bench of its own. STEP is told of
   each step's name and report as it ends. */
enum ta_status ta_demo(struct ta_context *context, const char *folder,
                       void (*step)(void *with, const char *name, const struct ta_report *report), void *with,
                       struct ta_problem *why);

/* A profile by its name in the catalog or by its file (anything with a '/' or ending in .yaml). Free with
   ta_profile_free. */
enum ta_status ta_profile_read(struct ta_context *context, const char *name, struct ta_profile **profile,
                               struct ta_problem *why);
void ta_profile_free(struct ta_profile *profile);

#ifdef __cplusplus
}
#endif
#endif
