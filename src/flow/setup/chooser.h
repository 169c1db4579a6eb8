/* Choosing a setup: what its parts share. */
#ifndef TA_FLOW_CHOOSER_H
#define TA_FLOW_CHOOSER_H

#include "flow/setup/setup.h"

struct chooser {
    struct workspace workspace;
    const struct ta_choices *choices;
    struct setup setup;
    struct sdk sdk;    /* that is chosen */
    struct setup last; /* what came with the project, or that of another one, configured last */
    bool is_proposed;
    const char *last_reason; /* null: there is none */
    struct ta_profile profile;
    bool makes_target; /* it is not on the bench yet */
    bool settings_set; /* in their file, which stays when something fails later */
    struct ta_report *report;
    struct ta_problem *why;
};

/* "clang@14.0.6" into name, freed with g_free, and version; *VERSION null when there is none. */
char *chooser_split_version(const char *text, const char **version);

/* What compiles, for what, and what stands in front of it (choose_compiler.c). */
enum ta_status choose_compiler(struct chooser *chooser);
enum ta_status choose_optimisation(struct chooser *chooser);
enum ta_status choose_launcher(struct chooser *chooser);

#endif
