#include "flow/depot/depot.h"

#include "flow/catalog/catalog.h"
#include "host/token.h"
#include "tameanchor/catalog.h"

#include <time.h>

enum { DAY_S = 86400, SOON_DAYS = 7, SKEW_S = 300, FILE_BYTES = 65536 };

static char *licence_file(struct ta_context *context, const char *component) {
    g_autofree char *file = g_strconcat(component, ".jwt", NULL);
    return g_build_filename(context->home, "licences", file, NULL);
}

char **licence_names(struct ta_context *context) {
    g_autofree char *folder = g_build_filename(context->home, "licences", NULL);
    return files_names(folder, "*.jwt");
}

/* Who the user is: the login name, and the accounts at depots. */
static bool is_user(struct ta_context *context, const char *name) {
    return !strcmp(name, g_get_user_name()) || depot_knows_account(context, name);
}

static char *day_text(int64_t seconds) {
    g_autoptr(GDateTime) when = g_date_time_new_from_unix_utc(seconds);
    return when ? g_date_time_format(when, "%Y-%m-%d") : g_strdup("an unknown day");
}

static enum ta_status refuse(const char *component, struct ta_problem *why, const char *what, const char *more) {
    g_autofree char *fix = g_strdup_printf("{evaluate %s}, or ask its publisher for a licence", component);
    return ta_problem_set(why, TA_E_NO, fix, "the licence of %s %s%s", component, what, more);
}

/* What is wrong with the claims for this component, this user, this moment. */
static enum ta_status check_claims(struct ta_context *context, const struct component *component,
                                   const struct token *token, struct ta_problem *why) {
    int64_t now = (int64_t)time(NULL);
    g_autofree char *end = day_text(token->expires);
    if (!token->component || strcmp(token->component, component->name))
        return refuse(component->name, why, "is for ", token->component ? token->component : "nothing");
    if (!token->issuer || strcmp(token->issuer, component->licensed_by))
        return refuse(component->name, why, "is not by its publisher but by ",
                      token->issuer ? token->issuer : "nobody");
    if (!token->subject || !is_user(context, token->subject))
        return refuse(component->name, why, "is for another user: ", token->subject ? token->subject : "nobody");
    if (token->not_before > now + SKEW_S || token->issued > now + SKEW_S)
        return refuse(component->name, why, "is from the future", "; is this computer's clock right?");
    if (!token->expires || token->expires <= now)
        return refuse(component->name, why, "ended on ", end);
    return TA_OK;
}

static enum ta_status check_text(struct ta_context *context, const struct component *component, const char *text,
                                 char **until, bool *soon, struct ta_problem *why) {
    g_autofree char *file = g_strconcat(component->licensed_by, ".pem", NULL);
    g_autofree char *key = g_build_filename(context->home, "keys", file, NULL);
    struct token token;
    if (!token_read(text, &token))
        return refuse(component->name, why, "is not a token", "");
    enum ta_status status = TA_OK;
    if (!g_file_test(key, G_FILE_TEST_EXISTS))
        status =
            ta_problem_set(why, TA_E_NO, "{trust PUBLISHER.pem}", "the key of %s, which licenses %s, is not known here",
                           component->licensed_by, component->name);
    else if (!token_is_by(text, key))
        status = refuse(component->name, why, "has a signature that is not by ", component->licensed_by);
    if (!status)
        status = check_claims(context, component, &token, why);
    if (!status) {
        *until = day_text(token.expires);
        *soon = token.expires - (int64_t)time(NULL) < (int64_t)SOON_DAYS * DAY_S;
    }
    token_clear(&token);
    return status;
}

enum ta_status licence_check(struct ta_context *context, const struct component *component, char **until, bool *soon,
                             struct ta_problem *why) {
    g_autofree char *file = licence_file(context, component->name), *text = NULL;
    size_t length;
    *until = NULL;
    if (!g_file_test(file, G_FILE_TEST_EXISTS))
        return refuse(component->name, why, "is missing; its publisher is ", component->licensed_by);
    enum ta_status status = file_read(file, FILE_BYTES, &text, &length, why);
    return status ? status : check_text(context, component, g_strstrip(text), until, soon, why);
}

/* Keeping one. */

static enum ta_status keep(struct ta_context *context, const char *name, const char *text, struct ta_report *report,
                           struct ta_problem *why) {
    g_autofree char *file = licence_file(context, name), *folder = g_path_get_dirname(file), *until = NULL;
    struct component component;
    bool soon;
    enum ta_status status = catalog_licensed(context, name, &component, why);
    if (!status)
        status = check_text(context, &component, text, &until, &soon, why);
    if (!status)
        status = folder_make(folder, why);
    if (!status)
        status = file_write_private(file, text, strlen(text), why);
    if (!status) {
        report_add(report, TA_LEVEL_OK, "licence", NULL, "%s until %s", name, until);
        report_next(report, "{with %s}", name);
    }
    return status;
}

enum ta_status ta_licence_add(struct ta_context *context, const char *file, struct ta_report *report,
                              struct ta_problem *why) {
    struct step step = step_begin(context, report);
    g_autofree char *text = NULL;
    struct token token = {0};
    size_t length;
    enum ta_status status = file_read(file, FILE_BYTES, &text, &length, why);
    if (!status && (!token_read(g_strstrip(text), &token) || !token.component))
        status = ta_problem_set(why, TA_E_INPUT, "ask its publisher for the file again", "%s is not a licence", file);
    else if (!status)
        status = keep(context, token.component, text, report, why);
    token_clear(&token);
    return step_end(&step, status);
}

/* Evaluations, from the first depot that gives one. */

static enum ta_status ask_depot(struct ta_context *context, const char *place, const struct component *component,
                                char **text, struct ta_problem *why) {
    g_autofree char *token = NULL;
    g_autofree char *body = g_strdup_printf("component=%s&publisher=%s", component->name, component->licensed_by);
    enum ta_status status = depot_token(context, place, &token, why);
    const struct http_request request = {.bearer = token, .body = body, .limit = FILE_BYTES};
    struct http_answer answer;
    if (status)
        return status;
    status = depot_ask(context, place, "/v1/evaluations", request, &answer, why);
    if (!status && answer.code != 200)
        status = depot_refused(place, &answer, why);
    if (!status)
        *text = g_strstrip(g_strdup(answer.text));
    http_clear(&answer);
    return status;
}

enum ta_status ta_licence_evaluate(struct ta_context *context, const char *name, struct ta_report *report,
                                   struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct component component;
    struct texts places = {0};
    g_autofree char *text = NULL;
    enum ta_status status = catalog_licensed(context, name, &component, why);
    if (!status)
        status = places_read(context, &places, why);
    if (!status) {
        status = ta_problem_set(why, TA_E_NO, "{use http://DEPOT}", "no depot is in use");
        for (size_t i = 0; i < places.count && !text; ++i)
            if (place_is_depot(places.items[i]))
                status = ask_depot(context, places.items[i], &component, &text, why);
    }
    if (text)
        status = keep(context, name, text, report, why);
    return step_end(&step, status);
}
