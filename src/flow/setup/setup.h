/* Setups: which versions go together, and what is fetched for them. */
#ifndef TA_FLOW_SETUP_H
#define TA_FLOW_SETUP_H

#include "core/choose/resolve.h"
#include "flow/project/project.h"
#include "host/package_index.h"

/* What there is to choose from: the versions of an SDK and of all components for it, here and, when that is asked for, at
   depots; in the form that the resolver takes. */

/* PACKAGES[0] is the SDK. OFFERS[i][v] is what offers version v of package i; null when it is here. */
struct choice {
    struct candidates *packages;
    const struct offer ***offers;
    size_t count;
    struct offers sdks, components; /* that depots offer; empty when they were not asked */
    struct ta_problem silent;       /* a depot that could not be asked */
};

enum ta_status candidates_read(struct ta_context *context, const char *sdk, const struct setup *only, bool offered,
                               struct choice *choice, struct ta_problem *why);

/* The versions that there are of NAME, joined by commas; freed with g_free. */
char *candidates_versions(const struct choice *choice, const char *name);

/* Which versions of an SDK and its components a project gets. Every question about that is put to the resolver here: what is to
   be chosen, what must be fetched for it, what a bundle holds, and whether a setup is still right. */

/* BY ("tide-lamp") needs NEEDS; the rest is what the user wants beside that, and may be null or empty. */
struct version_question {
    const char *by;
    const struct project_needs *needs;
    const char *sdk;         /* one of needs.sdk; null: the first that fits */
    const char *sdk_version; /* exactly this */
    struct needs with;       /* components more, with ranges */
    struct texts without;
    const struct setup *before; /* kept where it still fits */
    bool offered;               /* what depots offer counts too, behind what is here */
};

/* The answer. MISSING, in the order in which they must be installed, are not here but offered. */
struct versions {
    const char *sdk, *sdk_version;
    struct pins components; /* needs first */
    bool kept;              /* it is what was before */
    const struct offer **missing;
    size_t missing_count;
};

/* TA_E_NO when nothing fits: REPORT (may be null) then holds each requirement of a smallest set that cannot hold together, and
   WHY the nearest choice that would. */
enum ta_status versions_choose(struct ta_context *context, const struct version_question *question,
                               struct versions *versions, struct ta_report *report, struct ta_problem *why);

/* Whether the versions of SETUP do for what BY needs; TA_E_NO says why not. */
enum ta_status versions_check(struct ta_context *context, const char *by, const struct project_needs *needs,
                              const struct setup *setup, struct ta_problem *why);

/* What a project needs and this computer has not got: who offers it, and fetching it in one go. */

/* Fetches and installs the COUNT offers, when the context agrees; *FETCHED tells whether it did. What must be accepted is asked
   for first, so that nothing is fetched in vain. */
enum ta_status supply_fetch(struct ta_context *context, const struct offer *const *offers, size_t count, bool *fetched,
                            struct ta_report *report, struct ta_problem *why);

/* What is said of offers that were not agreed to: "surge 1.0.0 (2.1 KiB from http://...)"; freed with g_free. */
char *supply_text(struct ta_context *context, const struct offer *const *offers, size_t count);

/* Fetches an example that is not here, with what it needs, when a depot offers it and the context agrees. VERSION may be
   null. TA_E_NO when it does not agree. *OFFERED is false when all depots could be asked and none has it: nothing was done. */
enum ta_status supply_example(struct ta_context *context, const char *name, const char *version, bool *offered,
                              struct ta_report *report, struct ta_problem *why);

/* Fetches what NEEDS of BY lists and is not here, when the context agrees; else a note says how to get it. What cannot be had
   is a problem in REPORT, which says what there is. */
enum ta_status supply_needs(struct ta_context *context, const char *by, const struct project_needs *needs,
                            struct ta_report *report, struct ta_problem *why);

/* Checks of a loaded setup, each of one subject: adds its findings; WHY is filled when it gives anything but TA_OK, which is a problem
   of that subject. */
typedef enum ta_status setup_check(struct workspace *workspace, struct ta_report *report, struct ta_problem *why);
setup_check setup_check_compiler, setup_check_board, setup_check_target, setup_check_switches, setup_check_platform,
    setup_check_licences, setup_check_settings;

/* Whether TARGET, which may not be on the bench yet, starts from the platform image that the project needs. */
enum ta_status setup_platform_fits(const struct workspace *workspace, const struct bench_target *target,
                                   const struct ta_profile *profile, struct ta_problem *why);

/* Whether what the setup chose still does for what the manifest needs: versions, compiler, board, platform. TA_E_NO says what does
   not. */
enum ta_status setup_still_fits(struct workspace *workspace, struct ta_problem *why);

/* Whether the setup has a problem that only another choice can take away. Adds the other ones as warnings. */
enum ta_status setup_refuses(struct workspace *workspace, struct ta_problem *why);
void setup_warn(struct workspace *workspace, struct ta_report *report);

/* The verdict: what the last verify of all trials of a project said, of which image, on which target, by which trials: TRIALS is the digest of
   these and of the files that they name. Private to the project, in .tanchor/. */

#define VERIFIED_SETUP ".tanchor/verified-setup.yaml" /* the setup with which all trials passed last */

struct verified {
    char identity[TA_IDENTITY_TEXT], trials[SHA256_TEXT_BYTES];
    const char *target;
    unsigned passed, failed;
};

/* False when nothing was verified yet. */
bool verified_read(struct workspace *workspace, struct verified *verified);

/* Keeps it as that of WORKSPACE's target, and, when nothing failed, the setup as it was when the workspace was opened, and MEMORY_MAP (may be
   null) as that of the image. */
enum ta_status verified_write(struct workspace *workspace, const struct verified *verified, const char *memory_map,
                              struct ta_problem *why);

#endif
