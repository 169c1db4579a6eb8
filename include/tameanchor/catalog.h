/* Catalogs: what there is of examples, SDKs, components, boards and platform images, and where it comes from. */
#ifndef TAMEANCHOR_CATALOG_H
#define TAMEANCHOR_CATALOG_H

#include "tameanchor/context.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What to look for in the catalog: all of the words, in names, titles and summaries. The rest may be null.
   KIND is "example", "sdk", "component", "board", "emulator" or "platform". */
struct ta_catalog_query {
    size_t size_bytes;
    const char *const *words;
    size_t word_count;
    const char *kind;
    const char *board;     /* examples that fit this profile */
    const char *component; /* what needs or holds this component */
    bool here_only;        /* asks no depot */
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
    size_t size_bytes;
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

/* A profile by its name in the catalog or by its file (anything with a '/' or ending in .yaml). Free with
   ta_profile_free. */
enum ta_status ta_profile_read(struct ta_context *context, const char *name, struct ta_profile **profile,
                               struct ta_problem *why);
void ta_profile_free(struct ta_profile *profile);

#ifdef __cplusplus
}
#endif
#endif
