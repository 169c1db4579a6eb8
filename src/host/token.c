#include "host/token.h"

#include "host/signature.h"

#include <glib.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

static const char header[] = "{\"alg\":\"EdDSA\",\"typ\":\"JWT\"}";

/* Base64 for addresses (RFC 4648, section 5), without padding. */

static char *encode(const void *bytes, size_t length) {
    char *text = g_base64_encode(bytes, length);
    text[strcspn(text, "=")] = '\0';
    return g_strdelimit(g_strdelimit(text, "+", '-'), "/", '_');
}

static char *padded(const char *text, size_t length) {
    g_autofree char *part = g_strndup(text, length);
    g_strdelimit(g_strdelimit(part, "-", '+'), "_", '/');
    return g_strconcat(part, length % 4 == 2 ? "==" : length % 4 == 3 ? "=" : "", NULL);
}

static json_t *decode(const char *text, size_t length) {
    gsize size = 0;
    g_autofree char *base64 = padded(text, length);
    g_autofree guchar *bytes = g_base64_decode(base64, &size);
    return json_loadb((const char *)bytes, size, JSON_REJECT_DUPLICATES, NULL);
}

/* The three parts: where the dots are. */
static bool split(const char *text, const char **first, const char **second) {
    static const char letters[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_";
    *first = text + strspn(text, letters);
    *second = **first == '.' ? *first + 1 + strspn(*first + 1, letters) : *first;
    return *first > text && **first == '.' && **second == '.' && *second > *first + 1 &&
           !(*second)[1 + strspn(*second + 1, letters)];
}

static char *text_claim(const json_t *claims, const char *name) {
    return g_strdup(json_string_value(json_object_get(claims, name)));
}

bool token_read(const char *text, struct token *token) {
    const char *first, *second;
    *token = (struct token){0};
    if (!split(text, &first, &second))
        return false;
    json_t *head = decode(text, (size_t)(first - text)), *claims = decode(first + 1, (size_t)(second - first - 1));
    bool good = json_is_object(head) && json_is_object(claims);
    if (good)
        *token = (struct token){.issuer = text_claim(claims, "iss"),
                                .subject = text_claim(claims, "sub"),
                                .component = text_claim(claims, "component"),
                                .issued = json_integer_value(json_object_get(claims, "iat")),
                                .not_before = json_integer_value(json_object_get(claims, "nbf")),
                                .expires = json_integer_value(json_object_get(claims, "exp"))};
    json_decref(head);
    json_decref(claims);
    return good;
}

void token_clear(struct token *token) {
    g_free(token->issuer);
    g_free(token->subject);
    g_free(token->component);
    *token = (struct token){0};
}

enum ta_status token_sign(const struct token *token, const char *key_file, char **text, struct ta_problem *why) {
    char signature[SIGNATURE_TEXT_BYTES];
    json_t *claims = json_pack("{s:s, s:s, s:s, s:I, s:I, s:I}", "iss", token->issuer, "sub", token->subject,
                               "component", token->component, "iat", (json_int_t)token->issued, "nbf",
                               (json_int_t)token->not_before, "exp", (json_int_t)token->expires);
    char *payload = json_dumps(claims, JSON_COMPACT);
    json_decref(claims);
    if (!payload)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    g_autofree char *head_part = encode(header, strlen(header)), *claims_part = encode(payload, strlen(payload));
    g_autofree char *signed_part = g_strdup_printf("%s.%s", head_part, claims_part);
    free(payload);
    enum ta_status status = signature_make(key_file, signed_part, strlen(signed_part), signature, why);
    if (status)
        return status;
    signature[strcspn(signature, "=")] = '\0';
    g_strdelimit(g_strdelimit(signature, "+", '-'), "/", '_');
    *text = g_strdup_printf("%s.%s", signed_part, signature);
    return TA_OK;
}

bool token_is_by(const char *text, const char *key_file) {
    const char *first, *second;
    if (!split(text, &first, &second))
        return false;
    json_t *head = decode(text, (size_t)(first - text));
    const char *algorithm = json_string_value(json_object_get(head, "alg"));
    g_autofree char *signature = padded(second + 1, strlen(second + 1));
    bool good =
        algorithm && !strcmp(algorithm, "EdDSA") && signature_is_by(key_file, text, (size_t)(second - text), signature);
    json_decref(head);
    return good;
}
