/* What there is to choose from: the versions of an SDK and of all components for it, here and, when that is asked for, at
   depots; in the form that the resolver takes. */
#ifndef TA_FLOW_SETUP_CANDIDATES_H
#define TA_FLOW_SETUP_CANDIDATES_H

#include "core/choose/resolve.h"
#include "flow/context.h"
#include "host/package_index.h"

/* PACKAGES[0] is the SDK. OFFERS[i][v] is what offers version v of package i; null when it is here. */
struct choice {
    struct candidates *packages;
    const struct offer ***offers;
    size_t count;
    struct offers sdks, components; /* that depots offer; empty when they were not asked */
    struct ta_problem silent;       /* a depot that could not be asked */
};

enum ta_status candidates_read(struct ta_context *context, const char *sdk, bool offered, struct choice *choice,
                               struct ta_problem *why);

/* The versions that there are of NAME, joined by commas; freed with g_free. */
char *candidates_versions(const struct choice *choice, const char *name);

#endif
