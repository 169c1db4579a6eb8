/* The catalog on this computer: profiles/NAME.yaml, sdk/NAME-VERSION/sdk.yaml, components/NAME-VERSION/component.yaml,
   platforms/NAME-VERSION/platform.yaml, examples/NAME/anchor.yaml, in the folders of all places and in each installed
   package, these last. */
#ifndef TA_FLOW_CATALOG_H
#define TA_FLOW_CATALOG_H

#include "base/arena.h"
#include "core/models.h"
#include "tameanchor/chain.h"

#include <glib.h>

/* The folder of an example's newest version, or of exactly VERSION (may be null); null after TA_E_INPUT with the versions
   that there are, or the nearest names. Freed with g_free. */
char *catalog_example(const struct ta_context *context, const char *name, const char *version, struct ta_problem *why);

/* The versions of an example, newest first; ends with null, g_strfreev. */
char **catalog_example_versions(const struct ta_context *context, const char *name);

/* A profile by name or file, into PROFILE. */
enum ta_status catalog_profile(const struct ta_context *context, const char *name, struct arena *arena,
                               struct ta_profile *profile, struct ta_problem *why);

/* The SDK of exactly that version; its folder goes to *FOLDER. Components that are packages of their own and made for that
   version are among its components, behind its own; of one name, the newest that is in the range of PICK (may be null). */
enum ta_status catalog_sdk(const struct ta_context *context, const char *name, const char *version,
                           const struct needs *pick, struct arena *arena, struct sdk *sdk, const char **folder,
                           struct ta_problem *why);

/* All component packages that are made for this version of SDK, each version of each. */
enum ta_status catalog_sdk_components(const struct ta_context *context, struct arena *arena, const char *sdk,
                                      const char *version, struct component **components, size_t *count,
                                      struct ta_problem *why);

/* The newest component package NAME, which must take a licence. */
enum ta_status catalog_licensed(const struct ta_context *context, const char *name, struct arena *arena,
                                struct component *component, struct ta_problem *why);

/* The newest version of SDK NAME inside RANGE (null: any), in *VERSION. TA_E_INPUT says which versions there are. */
enum ta_status catalog_sdk_version(const struct ta_context *context, const char *name, const char *range,
                                   struct arena *arena, const char **version, struct ta_problem *why);

/* Patterns for catalog_list: all examples, profiles, and, as NAME-VERSION, SDKs, components, platform images. */
extern const char catalog_examples[], catalog_profiles[], catalog_sdks[], catalog_components[], catalog_platforms[];

/* What the '*' of PATTERN stands for, in all folders of the catalog; sorted, each once; ends with null, g_strfreev. */
char **catalog_list(const struct ta_context *context, const char *pattern);

/* The newest NAME-VERSION of PATTERN with NAME, inside RANGE (null: any), as its version; null when there is none. *ALL (may
   be null) gets all versions, joined by commas. Freed with g_free, both. */
char *catalog_newest(const struct ta_context *context, const char *pattern, const char *name, const char *range,
                     char **all);

/* Where BELOW is in the catalog, or null. Freed with g_free. */
char *catalog_find(const struct ta_context *context, const char *below);

/* "tide-lamp@1.2" into name and version, null without one. Both are freed with g_free. */
char *catalog_split(const char *asked, char **version);

#endif
