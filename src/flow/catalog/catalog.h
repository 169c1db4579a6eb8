/* The catalogs on this computer: profiles/NAME.yaml, sdk/NAME-VERSION/sdk.yaml, components/NAME-VERSION/component.yaml,
   platforms/NAME-VERSION/platform.yaml, examples/NAME/anchor.yaml, in the folders of all places and in each installed
   package, these last. They are read once a step: everything here is the context's, to the end of the outermost step. */
#ifndef TA_FLOW_CATALOG_H
#define TA_FLOW_CATALOG_H

#include "flow/context.h"
#include "tameanchor/version.h"

/* One thing of a catalog. VERSION is null for a profile, whose file alone tells it, and empty for an example that cannot be
   read. PATH is its folder, or a profile's file; ROOT the catalog's folder that it lies in. MODEL is read when it is asked for,
   and FAULT why that did not go. */
struct catalog_item {
    enum package_kind kind; /* PACKAGE_BOARD for every profile */
    const char *name, *version, *path, *root;
    struct ta_version parsed;
    union {
        const void *any;
        const struct project *project;
        const struct sdk *sdk;
        const struct component *component;
        const struct platform *platform;
    } model;
    struct ta_problem *fault;
};

struct catalog_items {
    struct catalog_item *items;
    size_t count;
};

/* All of KIND: by name, then the newest version first; of one name and version, the first place's. */
const struct catalog_items *catalog_list(struct ta_context *context, enum package_kind kind);

/* Must be called when a package or a place came or went: what is asked from now on is read anew. */
void catalog_changed(struct ta_context *context);

/* The newest of NAME inside RANGE (null: any); null when there is none. Of a profile, RANGE does not count. */
struct catalog_item *catalog_newest(struct ta_context *context, enum package_kind kind, const char *name,
                                    const char *range);

/* The same, exactly VERSION (null: the newest); TA_E_INPUT says which versions or names there are. */
enum ta_status catalog_need(struct ta_context *context, enum package_kind kind, const char *name, const char *version,
                            struct catalog_item **item, struct ta_problem *why);

/* The versions of NAME that there are, newest first, joined by commas; freed with g_free. */
char *catalog_versions(struct ta_context *context, enum package_kind kind, const char *name);

/* Reads what ITEM describes into item->model. */
enum ta_status catalog_read(struct ta_context *context, struct catalog_item *item, struct ta_problem *why);

/* A profile by name or file, into PROFILE; memory from ARENA. */
enum ta_status catalog_profile(struct ta_context *context, const char *name, struct arena *arena,
                               struct ta_profile *profile, struct ta_problem *why);

/* Says where in PROFILE's file the key is that WHY's text starts with; without a file WHY stays as it is. */
void catalog_locate(const struct ta_context *context, const struct ta_profile *profile, struct ta_problem *why);

/* The SDK of exactly that version; its folder goes to *FOLDER. Components that are packages of their own and made for that version are
   among its components, behind its own; of one name, the version that CHOSEN (may be null) says, else the newest. The files of CHOSEN, and
   of what they need, are located. */
enum ta_status catalog_sdk(struct ta_context *context, const char *name, const char *version, const struct pins *chosen,
                           struct sdk *sdk, const char **folder, struct ta_problem *why);

/* Calls SEEN for each header that COMPONENT gives to those who use it: its name in an #include, and where it is. Of one name, the
   first on the compiler's way. */
void component_headers(const struct component *component, void (*seen)(void *with, const char *name, const char *path),
                       void *with);

/* The newest component package NAME, which must take a licence. */
enum ta_status catalog_licensed(struct ta_context *context, const char *name, struct component *component,
                                struct ta_problem *why);

/* "tide-lamp@1.2" into name and version, null without one. Both are freed with g_free. */
char *catalog_split(const char *asked, char **version);

/* What packages consist of, and where each kind lies in a catalog. */

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

/* Checks and installs the package or bundle in FILE: all of it, or nothing. FROM and WANTED (null: a file of the user) are how
   problems call a package that was downloaded, and what it must be; it must be signed, too. */
enum ta_status package_install(struct ta_context *context, const char *file, const char *from,
                               const struct package *wanted, struct ta_report *report, struct ta_problem *why);

/* "lamps 8", "button A", "console": what PROFILE provides. */
struct texts package_connectors(struct arena *arena, const struct ta_profile *profile);

/* "lamps 8, which godwit does not have", "lamps 8, godwit has 6". Freed with g_free. */
char *lack_text(const struct lack *lack, const char *board);

/* Where packages come from: the bundled catalog, folders, archives, depots; in the order that the user has set. */

extern const char place_bundled[]; /* stands for the context's own catalog */

bool place_is_depot(const char *place);

/* PLACE as it is kept: an address without a slash at its end, a path made absolute. Freed with g_free. */
char *place_kept(const char *place);

/* The places in their order; the bundled one alone as long as nothing was set. */
enum ta_status places_read(struct ta_context *context, struct texts *places, struct ta_problem *why);

/* Puts PLACE (as it is kept) first or last, or takes it away. TA_E_INPUT when it is to go and is not there. */
enum ta_status places_change(struct ta_context *context, const char *place, bool wanted, bool first,
                             struct ta_problem *why);

/* TA_E_INPUT when a folder or an archive holds no catalog. */
enum ta_status place_check(struct ta_context *context, const char *place, struct ta_problem *why);

/* The folders of all places that are no depots, in their order; archives are unpacked into the cache when they changed.
   Freed with g_ptr_array_unref. A place that cannot be read is passed over and told in REPORT, which may be null. */
GPtrArray *places_folders(struct ta_context *context, struct ta_report *report);

#endif
