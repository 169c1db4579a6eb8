/* Who may fetch: accounts with passwords, the tokens that they sign in for, the licence texts that they accepted. */
#ifndef DEPOT_ACCOUNTS_H
#define DEPOT_ACCOUNTS_H

#include "tameanchor/status.h"

#include <stdbool.h>
#include <stdint.h>

struct accounts;

/* Opens accounts.json, accepted.json and secret.key of a depot's FOLDER; the key is made when there is none, for its owner
   alone. Calls may come from several threads. */
enum ta_status accounts_open(const char *folder, struct accounts **accounts, struct ta_problem *why);
void accounts_close(struct accounts *accounts);

/* Adds an account, or gives it another password. What is kept is PBKDF2-HMAC-SHA256 (RFC 8018) of it. */
enum ta_status accounts_set(struct accounts *accounts, const char *name, const char *password, struct ta_problem *why);

/* Whether PASSWORD is NAME's. After ten wrong ones in a minute, by the address FROM or for NAME, nobody is asked any more until
   the next: guessing costs the depot no time. */
enum account_answer { ACCOUNT_UNKNOWN, ACCOUNT_KNOWN, ACCOUNT_WAITS };
enum account_answer accounts_sign_in(struct accounts *accounts, const char *from, const char *name,
                                     const char *password);

/* A bearer token for NAME, a JWT (RFC 7519, HS256) that ends in LIFETIME_S seconds; freed with g_free. */
char *accounts_token(struct accounts *accounts, const char *name, int64_t lifetime_s);

/* Whose TOKEN it is, freed with g_free; null when it is none of ours or has ended, which *ENDED tells. */
char *accounts_of_token(struct accounts *accounts, const char *token, bool *ended);

/* That NAME accepts the licence text with this digest; whether it was accepted. */
enum ta_status accounts_accept(struct accounts *accounts, const char *name, const char *sha256, struct ta_problem *why);
bool accounts_accepted(struct accounts *accounts, const char *name, const char *sha256);

#endif
