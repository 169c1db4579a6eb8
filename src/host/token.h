/* Tokens: JSON Web Tokens (RFC 7519) in their compact form. */
#ifndef TA_HOST_TOKEN_H
#define TA_HOST_TOKEN_H

#include "tameanchor/status.h"

#include <stdbool.h>
#include <stdint.h>

/* What a token claims, its signature apart. Texts are the token's own, freed with token_clear; times are in seconds since
   1970, 0 where the token says nothing. */
struct token {
    char *issuer, *subject, *component;
    int64_t issued, not_before, expires;
};

/* False when TEXT is no token. */
bool token_read(const char *text, struct token *token);
void token_clear(struct token *token);

/* A token with these claims, signed with EdDSA (RFC 8037) by the private Ed25519 key in KEY_FILE; freed with g_free. */
enum ta_status token_sign(const struct token *token, const char *key_file, char **text, struct ta_problem *why);

/* Whether TEXT is signed with EdDSA by the public key in KEY_FILE. */
bool token_is_by(const char *text, const char *key_file);

#endif
