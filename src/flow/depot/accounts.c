/* Signing in at depots, and accepting licences. */
#include "flow/depot/depot.h"

#include "flow/catalog/catalog.h"
#include "flow/store.h"
#include "tameanchor/catalog.h"

#include <jansson.h>
#include <time.h>

enum { ANSWER_BYTES = 1 << 20, TOKEN_BYTES = 8192, LONGEST_S = 10 * 366 * 86400 };

static char *time_text(json_int_t seconds) {
    g_autoptr(GDateTime) when = g_date_time_new_from_unix_utc(seconds);
    return when ? g_date_time_format(when, "%Y-%m-%d %H:%M UTC") : g_strdup("an unknown time");
}

/* Who is signed in at a place; texts are the arena's, null for nobody. */
struct sign_in {
    struct arena *arena;
    const char *account, *token;
    int64_t expires_s;
};

static bool take_sign_in(void *with, const struct store_row *row) {
    struct sign_in *sign_in = with;
    sign_in->account = arena_text(sign_in->arena, store_text(row, 0));
    sign_in->token = arena_text(sign_in->arena, store_text(row, 1));
    sign_in->expires_s = store_number(row, 2);
    return false;
}

static enum ta_status read_sign_in(struct ta_context *context, const char *place, struct sign_in *sign_in,
                                   struct ta_problem *why) {
    struct store *store;
    *sign_in = (struct sign_in){.arena = context->arena};
    enum ta_status status = context_store(context, &store, why);
    return status ? status
                  : store_each(store, take_sign_in, sign_in, why,
                               "SELECT account, token, expires_s FROM sign_in WHERE place = ?", "s", place);
}

enum ta_status depot_token(struct ta_context *context, const char *place, char **token, struct ta_problem *why) {
    struct sign_in sign_in;
    *token = NULL;
    enum ta_status status = read_sign_in(context, place, &sign_in, why);
    if (status || !sign_in.token)
        return status;
    if (sign_in.expires_s > (int64_t)time(NULL)) {
        *token = g_strdup(sign_in.token);
        return TA_OK;
    }
    g_autofree char *when = time_text(sign_in.expires_s);
    g_autofree char *fix = g_strdup_printf("{sign-in %s}", place);
    return ta_problem_set(why, TA_E_NO, fix, "the sign-in at %s ran out at %s", place, when);
}

static bool note_row(void *with, const struct store_row *row) {
    (void)row;
    *(bool *)with = true;
    return false;
}

bool depot_knows_account(struct ta_context *context, const char *name) {
    struct store *store;
    bool found = false;
    if (!context_store(context, &store, NULL))
        store_each(store, note_row, &found, NULL, "SELECT 1 FROM sign_in WHERE account = ?", "s", name);
    return found;
}

/* Signing in. */

/* True when nobody between here and the depot can read what is sent: TLS, or this computer itself. */
static bool is_private(const char *place) {
    static const char *const here[] = {"http://127.0.0.1", "http://localhost", "http://[::1]"};
    for (size_t i = 0; i < G_N_ELEMENTS(here); ++i)
        if (g_str_has_prefix(place, here[i]) && strchr(":/", place[strlen(here[i])]))
            return !strchr(place, '@'); /* what stands before it is a user's name, not the host */
    return g_str_has_prefix(place, "https://");
}

static enum ta_status keep_token(struct ta_context *context, const char *place, const char *account,
                                 const struct http_answer *answer, char **until, struct ta_problem *why) {
    json_t *json = json_loadb(answer->text, answer->length, 0, NULL);
    const char *token = json_string_value(json_object_get(json, "access_token"));
    json_int_t lasts_s = json_integer_value(json_object_get(json, "expires_in"));
    bool plain = token && strlen(token) <= TOKEN_BYTES; /* it goes into a header: RFC 6750, section 2.1 */
    for (const char *at = plain ? token : ""; *at; ++at)
        plain = plain && (g_ascii_isalnum(*at) || strchr("-._~+/=", *at));
    lasts_s = MIN(lasts_s, LONGEST_S);
    struct store *store;
    enum ta_status status =
        plain && lasts_s > 0 ? context_store_made(context, &store, why)
                             : ta_problem_set(why, TA_E_SYSTEM, "tell the depot's keeper", "%s gave no token", place);
    if (!status) {
        int64_t ends = (int64_t)time(NULL) + lasts_s;
        status = store_run(store, why, "INSERT OR REPLACE INTO sign_in VALUES (?, ?, ?, ?)", "sssi", place, account,
                           token, ends);
        *until = time_text(ends);
    }
    json_decref(json);
    return status;
}

/* PLACE as it stands among the catalogs. */
static enum ta_status check_place(const char *place, struct ta_problem *why) {
    if (!place_is_depot(place))
        return ta_problem_set(why, TA_E_USAGE, "write for example http://127.0.0.1:8470",
                              "%s is not the address of a depot", place);
    if (!is_private(place))
        return ta_problem_set(why, TA_E_INPUT, "ask its keeper for an https:// address",
                              "%s is not private: a password is not sent there", place);
    return TA_OK;
}

enum ta_status ta_sign_in(struct ta_context *context, const char *asked, const char *account, const char *password,
                          struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    g_autofree char *place = place_kept(asked), *until = NULL;
    struct http_answer answer = {0};
    enum ta_status status = check_place(place, why);
    if (status)
        return step_end(&step, status);
    g_autofree char *account_sent = http_escape(account), *password_sent = http_escape(password);
    g_autofree char *body = g_strdup_printf("grant_type=password&username=%s&password=%s", account_sent, password_sent);
    const struct http_request request = {.body = body, .limit = ANSWER_BYTES};
    status = depot_ask(context, place, "/v1/sign-in", request, &answer, why);
    if (!status && (answer.code == 400 || answer.code == 401))
        status = ta_problem_set(why, TA_E_NO, "check account and password, then sign in again",
                                "%s does not know account \"%s\" with this password", place, account);
    else if (!status && answer.code != 200)
        status = depot_refused(place, &answer, why);
    if (!status)
        status = keep_token(context, place, account, &answer, &until, why);
    if (!status) {
        report_add(report, TA_LEVEL_OK, "signed in", NULL, "%s at %s, until %s", account, place, until);
        report_next(report, "{list}");
    }
    memset(password_sent, 0, strlen(password_sent));
    memset(body, 0, strlen(body));
    http_clear(&answer);
    return step_end(&step, status);
}

enum ta_status ta_sign_out(struct ta_context *context, const char *asked, struct ta_report *report,
                           struct ta_problem *why) {
    struct step step = step_begin(context, report);
    g_autofree char *place = place_kept(asked);
    struct sign_in sign_in;
    struct store *store;
    enum ta_status status = read_sign_in(context, place, &sign_in, why);
    if (!status && !sign_in.account)
        status = ta_problem_set(why, TA_E_NO, "{places} lists the depots", "you are not signed in to %s", place);
    if (!status)
        status = context_store_made(context, &store, why);
    if (!status)
        status = store_run(store, why, "DELETE FROM sign_in WHERE place = ?", "s", place);
    if (!status)
        report_add(report, TA_LEVEL_OK, "signed out", NULL, "at %s", place);
    return step_end(&step, status);
}

/* Licences. An acceptance is by an account: a depot asks each anew. */

static enum ta_status was_accepted(struct ta_context *context, const struct offer *offer, bool *accepted,
                                   struct ta_problem *why) {
    struct sign_in me;
    struct store *store;
    *accepted = false;
    enum ta_status status = read_sign_in(context, offer->place, &me, why);
    if (!status)
        status = context_store(context, &store, why);
    return status ? status
                  : store_each(store, note_row, accepted, why,
                               "SELECT 1 FROM acceptance WHERE sha256 = ? AND place = ? AND account = ?", "sss",
                               offer->accept_sha256, offer->place, me.account ? me.account : "");
}

static enum ta_status keep_acceptance(struct ta_context *context, const struct offer *offer, struct ta_problem *why) {
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *when = g_date_time_format_iso8601(now);
    struct sign_in me;
    struct store *store;
    enum ta_status status = read_sign_in(context, offer->place, &me, why);
    if (!status)
        status = context_store_made(context, &store, why);
    return status ? status
                  : store_run(store, why, "INSERT OR REPLACE INTO acceptance VALUES (?, ?, ?, ?, ?)", "sssss",
                              offer->accept_sha256, offer->place, me.account ? me.account : "", offer->package.accept,
                              when);
}

/* The text that the index gives the digest of. */
static enum ta_status licence_text(struct ta_context *context, const struct offer *offer, char **text,
                                   struct ta_problem *why) {
    g_autofree char *path = g_strdup_printf("/v1/licences/%s", offer->package.accept);
    const struct http_request request = {.limit = ANSWER_BYTES};
    struct http_answer answer;
    char digest[SHA256_TEXT_BYTES];
    enum ta_status status = depot_ask(context, offer->place, path, request, &answer, why);
    if (!status && answer.code != 200)
        status = depot_refused(offer->place, &answer, why);
    if (!status) {
        bytes_sha256(answer.text, answer.length, digest);
        if (strcmp(digest, offer->accept_sha256))
            status = ta_problem_set(why, TA_E_SYSTEM, "run it again in a minute, or tell the depot's keeper",
                                    "the licence text %s of %s is another than its index says", offer->package.accept,
                                    offer->place);
    }
    if (!status)
        *text = g_utf8_make_valid(answer.text, -1);
    http_clear(&answer);
    return status;
}

static enum ta_status tell_acceptance(struct ta_context *context, const struct offer *offer, struct ta_problem *why) {
    g_autofree char *path = g_strdup_printf("/v1/licences/%s/acceptance", offer->package.accept);
    g_autofree char *body = g_strdup_printf("sha256=%s", offer->accept_sha256), *token = NULL;
    enum ta_status status = depot_token(context, offer->place, &token, why);
    if (status)
        return status;
    const struct http_request request = {.bearer = token, .body = body, .limit = ANSWER_BYTES};
    struct http_answer answer;
    status = depot_ask(context, offer->place, path, request, &answer, why);
    if (!status && answer.code != 204)
        status = depot_refused(offer->place, &answer, why);
    http_clear(&answer);
    return status;
}

enum ta_status depot_accept(struct ta_context *context, const struct offer *offer, struct ta_report *report,
                            struct ta_problem *why) {
    const struct package *package = &offer->package;
    g_autofree char *text = NULL, *token = NULL;
    g_autofree char *sign_in = g_strdup_printf("{sign-in %s}", offer->place);
    bool accepted = true;
    enum ta_status status = package->accept ? was_accepted(context, offer, &accepted, why) : TA_OK;
    if (!status && !accepted) /* which needs somebody who accepts: no question before it is known who */
        status = depot_token(context, offer->place, &token, why);
    if (!status && !accepted && !token)
        status = ta_problem_set(why, TA_E_NO, sign_in, "%s requires you to sign in", offer->place);
    if (!status && !accepted)
        status = licence_text(context, offer, &text, why);
    if (status || accepted)
        return status;
    g_autofree char *about = g_strdup_printf("%s %s requires you to accept the licence %s", package->package,
                                             package->version, package->accept);
    if (!context->call.agrees || !context->call.agrees(context->call.with, TA_ASK_LICENCE, about, text)) {
        g_autofree char *fix = g_strdup_printf("{accept %s@%s} in a terminal", package->package, package->version);
        return ta_problem_set(why, TA_E_NO, fix, "the licence %s of %s %s is not accepted", package->accept,
                              package->package, package->version);
    }
    status = tell_acceptance(context, offer, why);
    if (!status)
        status = keep_acceptance(context, offer, why);
    if (!status)
        report_add(report, TA_LEVEL_OK, "accepted", NULL, "licence %s, text SHA-256 %.16s", package->accept,
                   offer->accept_sha256);
    return status;
}
