/* The catalog: profiles/NAME.yaml, sdk/NAME-VERSION/sdk.yaml, examples/NAME/anchor.yaml, in the bundled folder and in each
   installed package, the bundled one first. */
#ifndef TA_FLOW_CATALOG_H
#define TA_FLOW_CATALOG_H

#include "base/arena.h"
#include "core/models.h"
#include "tameanchor/chain.h"

#include <glib.h>

/* The folder of an example, or null after TA_E_INPUT with the nearest names. Freed with g_free. */
char *catalog_example(const struct ta_context *context, const char *name, struct ta_problem *why);

/* A profile by name or file, into PROFILE. */
enum ta_status catalog_profile(const struct ta_context *context, const char *name, struct arena *arena,
                               struct ta_profile *profile, struct ta_problem *why);

/* The SDK of exactly that version; its folder goes to *FOLDER. */
enum ta_status catalog_sdk(const struct ta_context *context, const char *name, const char *version, struct arena *arena,
                           struct sdk *sdk, const char **folder, struct ta_problem *why);

/* The newest version of SDK NAME inside RANGE (null: any), in *VERSION. TA_E_INPUT says which versions there are. */
enum ta_status catalog_sdk_version(const struct ta_context *context, const char *name, const char *range,
                                   struct arena *arena, const char **version, struct ta_problem *why);

/* Patterns for catalog_list: all examples, profiles, SDKs (as NAME-VERSION). */
extern const char catalog_examples[], catalog_profiles[], catalog_sdks[];

/* What the '*' of PATTERN stands for, in all folders of the catalog; sorted, each once; ends with null, g_strfreev. */
char **catalog_list(const struct ta_context *context, const char *pattern);

/* Where BELOW is in the catalog, or null. Freed with g_free. */
char *catalog_find(const struct ta_context *context, const char *below);

#endif
