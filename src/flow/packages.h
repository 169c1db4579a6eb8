/* What packages consist of, and where each kind lies in a catalog. */
#ifndef TA_FLOW_PACKAGES_H
#define TA_FLOW_PACKAGES_H

#include "base/arena.h"
#include "core/models.h"
#include "tameanchor/chain.h"

#include <stdbool.h>

#define PACKAGE_MANIFEST  "package.yaml"
#define PACKAGE_SIGNATURE "package.sig"
#define BUNDLE_LIST       "bundle.txt" /* what makes an archive of packages a bundle; for people */

/* Where a package of KIND lies below a catalog's folder: a folder that ends in a slash, or a file. Freed with g_free. */
char *package_place(const char *kind, const char *name, const char *version);

/* What the catalog has as NAME or NAME@VERSION, described as a package without its files, from ARENA; *ROOT is the catalog's
   folder, *BELOW where it lies in it; both are freed with g_free. */
enum ta_status package_describe(struct ta_context *context, const char *asked, struct arena *arena,
                                struct package *package, char **root, char **below, struct ta_problem *why);

/* Checks and installs the package or bundle in FILE. FROM (null: a file of the user) is how problems call a package that was
   downloaded, which must be signed. */
enum ta_status package_install(struct ta_context *context, const char *file, const char *from, struct ta_report *report,
                               struct ta_problem *why);

/* "lamps 8", "button A", "console": what PROFILE provides; from ARENA. */
enum ta_status package_connectors(struct arena *arena, const struct ta_profile *profile, struct texts *provides,
                                  struct ta_problem *why);

#endif
