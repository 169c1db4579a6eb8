/* Signing in at depots, and accepting licences: tokens/ and accepted.json in the home, for their owner alone. */
#include "flow/account.h"

#include "flow/context.h"
#include "flow/depot_request.h"
#include "flow/places.h"
#include "flow/report.h"
#include "host/files.h"
#include "host/json_file.h"

#include <glib/gstdio.h>
#include <jansson.h>
#include <string.h>
#include <time.h>

enum { ANSWER_BYTES = 1 << 20 };

static char *token_file(const struct ta_context *context, const char *place) {
    g_autofree char *name = depot_file_name(place);
    g_autofree char *file = g_strconcat(name, ".json", NULL);
    return g_build_filename(context->home, "tokens", file, NULL);
}

static char *time_text(json_int_t seconds) {
    g_autoptr(GDateTime) when = g_date_time_new_from_unix_utc(seconds);
    return when ? g_date_time_format(when, "%Y-%m-%d %H:%M UTC") : g_strdup("an unknown time");
}

enum ta_status depot_token(const struct ta_context *context, const char *place, char **token, struct ta_problem *why) {
    g_autofree char *file = token_file(context, place);
    json_t *kept = json_load_file(file, 0, NULL);
    json_int_t until = json_integer_value(json_object_get(kept, "expires_at"));
    const char *text = json_string_value(json_object_get(kept, "token"));
    bool over = text && until <= (json_int_t)time(NULL);
    *token = text && !over ? g_strdup(text) : NULL;
    json_decref(kept);
    if (!over)
        return TA_OK;
    g_autofree char *when = time_text(until);
    g_autofree char *fix = g_strdup_printf("tanchor catalog sign-in %s --account NAME", place);
    return ta_problem_set(why, TA_E_NO, fix, "the sign-in at %s ran out at %s", place, when);
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

static enum ta_status keep_token(const struct ta_context *context, const char *place, const char *account,
                                 const struct http_answer *answer, char **until, struct ta_problem *why) {
    json_t *json = json_loadb(answer->text, answer->length, 0, NULL);
    const char *token = json_string_value(json_object_get(json, "access_token"));
    json_int_t lasts_s = json_integer_value(json_object_get(json, "expires_in"));
    g_autofree char *file = token_file(context, place);
    g_autofree char *folder = g_path_get_dirname(file);
    enum ta_status status =
        token && lasts_s > 0 ? TA_OK
                             : ta_problem_set(why, TA_E_SYSTEM, "tell the depot's keeper", "%s gave no token", place);
    if (!status && g_mkdir_with_parents(folder, 0700))
        status = ta_problem_set(why, TA_E_SYSTEM, "check the folder's permissions", "cannot make %s", folder);
    if (!status) {
        json_int_t ends = (json_int_t)time(NULL) + lasts_s;
        json_t *kept =
            json_pack("{s:s, s:s, s:s, s:I}", "place", place, "account", account, "token", token, "expires_at", ends);
        status = json_file_write(file, kept, true, why);
        *until = time_text(ends);
        json_decref(kept);
    }
    json_decref(json);
    return status;
}

/* PLACE as it stands among the catalogs. */
static enum ta_status check_place(const char *place, struct ta_problem *why) {
    if (!place_is_depot(place))
        return ta_problem_set(why, TA_E_USAGE, "write for example http://127.0.0.1:8470", "%s is no address of a depot",
                              place);
    if (!is_private(place))
        return ta_problem_set(why, TA_E_INPUT, "ask its keeper for an https:// address",
                              "%s is not private: a password is not sent there", place);
    return TA_OK;
}

enum ta_status ta_sign_in(struct ta_context *context, const char *place, const char *account, const char *password,
                          struct ta_report *report, struct ta_problem *why) {
    g_autofree char *trimmed = g_strdup(place);
    while (g_str_has_suffix(trimmed, "/"))
        trimmed[strlen(trimmed) - 1] = '\0';
    enum ta_status status = check_place(trimmed, why);
    if (status)
        return status;
    g_autofree char *until = NULL;
    g_autofree char *account_sent = http_escape(account), *password_sent = http_escape(password);
    g_autofree char *body = g_strdup_printf("grant_type=password&username=%s&password=%s", account_sent, password_sent);
    const struct http_request request = {.body = body, .limit = ANSWER_BYTES};
    struct http_answer answer;
    status = depot_ask(context, trimmed, "/v1/sign-in", request, &answer, why);
    if (!status && (answer.code == 400 || answer.code == 401))
        status = ta_problem_set(why, TA_E_NO, "check account and password, then sign in again",
                                "%s does not know account \"%s\" with this password", trimmed, account);
    else if (!status && answer.code != 200)
        status = depot_refused(trimmed, &answer, why);
    if (!status)
        status = keep_token(context, trimmed, account, &answer, &until, why);
    if (!status) {
        report_add(report, TA_LEVEL_OK, "signed in", NULL, "%s at %s, until %s", account, trimmed, until);
        report_next(report, "tanchor catalog");
    }
    memset(password_sent, 0, strlen(password_sent));
    memset(body, 0, strlen(body));
    http_clear(&answer);
    return status;
}

enum ta_status ta_sign_out(struct ta_context *context, const char *place, struct ta_report *report,
                           struct ta_problem *why) {
    g_autofree char *file = token_file(context, place);
    if (g_unlink(file))
        return ta_problem_set(why, TA_E_NO, "tanchor catalog places lists the depots", "nobody is signed in at %s",
                              place);
    report_add(report, TA_LEVEL_OK, "signed out", NULL, "at %s", place);
    return TA_OK;
}

/* Licences. */

static char *accepted_file(const struct ta_context *context) {
    return g_build_filename(context->home, "accepted.json", NULL);
}

/* Who is signed in at PLACE, or "". Freed with g_free. */
static char *account_at(const struct ta_context *context, const char *place) {
    g_autofree char *file = token_file(context, place);
    json_t *kept = json_load_file(file, 0, NULL);
    const char *account = json_string_value(json_object_get(kept, "account"));
    char *name = g_strdup(account ? account : "");
    json_decref(kept);
    return name;
}

/* By this account: a depot asks each anew. */
static bool was_accepted(const struct ta_context *context, const struct offer *offer) {
    g_autofree char *file = accepted_file(context), *me = account_at(context, offer->place);
    json_t *all = json_load_file(file, 0, NULL);
    bool found = false;
    for (size_t i = 0; i < json_array_size(all) && !found; ++i) {
        const json_t *each = json_array_get(all, i);
        const char *digest = json_string_value(json_object_get(each, "sha256"));
        const char *place = json_string_value(json_object_get(each, "place"));
        const char *account = json_string_value(json_object_get(each, "account"));
        found = digest && place && account && !strcmp(digest, offer->accept_sha256) && !strcmp(place, offer->place) &&
                !strcmp(account, me);
    }
    json_decref(all);
    return found;
}

static enum ta_status keep_acceptance(const struct ta_context *context, const struct offer *offer,
                                      struct ta_problem *why) {
    g_autofree char *file = accepted_file(context), *me = account_at(context, offer->place);
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *when = g_date_time_format_iso8601(now);
    json_t *all = json_load_file(file, 0, NULL);
    if (!json_is_array(all)) {
        json_decref(all);
        all = json_array();
    }
    json_array_append_new(all, json_pack("{s:s, s:s, s:s, s:s, s:s}", "licence", offer->package.accept, "sha256",
                                         offer->accept_sha256, "place", offer->place, "account", me, "accepted", when));
    enum ta_status status = folder_make(context->home, why);
    if (!status)
        status = json_file_write(file, all, true, why);
    json_decref(all);
    return status;
}

/* The text that the index gives the digest of. */
static enum ta_status licence_text(const struct ta_context *context, const struct offer *offer, char **text,
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
        *text = depot_shown_text(answer.text);
    http_clear(&answer);
    return status;
}

static enum ta_status tell_acceptance(const struct ta_context *context, const struct offer *offer,
                                      struct ta_problem *why) {
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

enum ta_status depot_accept(const struct ta_context *context, const struct offer *offer, struct ta_report *report,
                            struct ta_problem *why) {
    const struct package *package = &offer->package;
    g_autofree char *text = NULL;
    if (!package->accept || was_accepted(context, offer))
        return TA_OK;
    enum ta_status status = licence_text(context, offer, &text, why);
    if (status)
        return status;
    g_autofree char *about =
        g_strdup_printf("%s %s asks you to accept the licence %s", package->package, package->version, package->accept);
    if (!context->agrees || !context->agrees(context->with, TA_ASK_LICENCE, about, text)) {
        g_autofree char *fix = g_strdup_printf("tanchor catalog accept %s@%s, where somebody can answer",
                                               package->package, package->version);
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
