/* What packages consist of, and where each kind lies in a catalog. */
#ifndef TA_FLOW_CATALOG_PACKAGES_H
#define TA_FLOW_CATALOG_PACKAGES_H

#include "flow/catalog/catalog.h"

#define PACKAGE_MANIFEST  "package.yaml"
#define PACKAGE_SIGNATURE "package.sig"
#define BUNDLE_LIST       "bundle.txt" /* what makes an archive of packages a bundle; for people */

/* Where a package of KIND lies below a catalog's folder: a folder that ends in a slash, or a file. Freed with g_free. */
char *package_place(enum package_kind kind, const char *name, const char *version);

/* What the catalog has as NAME or NAME@VERSION; TA_E_INPUT when it has none. */
enum ta_status package_find(struct ta_context *context, const char *asked, struct catalog_item **item,
                            struct ta_problem *why);

/* ITEM as a package without its files. */
enum ta_status package_describe(struct ta_context *context, struct catalog_item *item, struct package *package,
                                struct ta_problem *why);

/* Where NAME's VERSION is, or would be, installed. Freed with g_free. */
char *package_folder(const struct ta_context *context, const char *name, const char *version);

/* Checks and installs the package or bundle in FILE. FROM (null: a file of the user) is how problems call a package that was
   downloaded, which must be signed. */
enum ta_status package_install(struct ta_context *context, const char *file, const char *from, struct ta_report *report,
                               struct ta_problem *why);

/* "lamps 8", "button A", "console": what PROFILE provides. */
struct texts package_connectors(struct arena *arena, const struct ta_profile *profile);

/* "lamps 8, which godwit does not have", "lamps 8, godwit has 6". Freed with g_free. */
char *lack_text(const struct lack *lack, const char *board);

#endif
