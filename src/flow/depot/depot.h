/* Depots as a client sees them (docs/depot.md). */
#ifndef TA_FLOW_DEPOT_H
#define TA_FLOW_DEPOT_H

#include "flow/context.h"
#include "host/http.h"
#include "host/offer_store.h"

/* Asking depots, and reading what they answer. */

/* Asks PLACE for PATH ("/v1/index") and keeps the answer in memory; what REQUEST leaves out is filled in. */
enum ta_status depot_ask(struct ta_context *context, const char *place, const char *path, struct http_request request,
                         struct http_answer *answer, struct ta_problem *why);

/* What an answer that is no success means, in one line. */
enum ta_status depot_refused(const char *place, const struct http_answer *answer, struct ta_problem *why);

/* Who a user is to a depot, and what was accepted there. */

/* The token for PLACE, or null when nobody is signed in there; freed with g_free. TA_E_NO when it has run out. */
enum ta_status depot_token(struct ta_context *context, const char *place, char **token, struct ta_problem *why);

/* Whether NAME is somebody who is signed in at a depot. */
bool depot_knows_account(struct ta_context *context, const char *name);

/* Sees to it that the licence which OFFER asks for (if any) is accepted: asks CONTEXT when that was not done before. */
enum ta_status depot_accept(struct ta_context *context, const struct offer *offer, struct ta_report *report,
                            struct ta_problem *why);

/* Licences of components: tokens (RFC 7519) that a publisher signed for a user, kept in the home's folder licences/. */

/* Whether this user may use COMPONENT, which has a publisher: TA_OK, with the end in words in *UNTIL (freed with g_free) and
   *SOON when that is near; TA_E_NO with what is wrong. */
enum ta_status licence_check(struct ta_context *context, const struct component *component, char **until, bool *soon,
                             struct ta_problem *why);

/* The names of the components that licences are here for; ends with null, g_strfreev. */
char **licence_names(struct ta_context *context);

/* Depots as a client sees them (docs/depot.md): what they offer. */

/* What the depots among the places offer and QUERY matches, the first place's offers first, into OFFERS. Their indexes are
   asked for anew when the last time is a minute ago. A depot that cannot be asked counts with what it offered the last
   time; why the first of these cannot be asked goes to SILENT, whose status is TA_OK when all could. */
enum ta_status depot_offers(struct ta_context *context, const struct offer_query *query, struct offers *offers,
                            struct ta_problem *silent, struct ta_problem *why);

/* The newest offer of a package NAME of KIND (PACKAGE_KINDS: any) inside RANGE (null: any); of equal versions, the first
   place's. Null when there is none. */
const struct offer *offer_newest(const struct offers *offers, enum package_kind kind, const char *name,
                                 const char *range);

/* Downloads from depots. */

/* Downloads OFFER's archive to PATH, going on where an earlier download of it stopped, and checks its size and SHA-256. */
enum ta_status depot_download(struct ta_context *context, const struct offer *offer, const char *path,
                              struct ta_problem *why);

/* Packages from depots, fetched and installed. */

/* Accepts what is to be accepted, downloads, checks size, digest and signature, and installs. */
enum ta_status fetch_offer(struct ta_context *context, const struct offer *offer, struct ta_report *report,
                           struct ta_problem *why);

/* The same for NAME or NAME@VERSION, whoever offers it. */
enum ta_status fetch_named(struct ta_context *context, const char *name, struct ta_report *report,
                           struct ta_problem *why);

#endif
