#include "depot/accounts.h"

#include "host/files.h"

#include <glib.h>
#include <jansson.h>
#include <jwt.h>
#include <openssl/crypto.h>
#include <openssl/evp.h>
#include <openssl/rand.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

enum { KEY_BYTES = 32, SALT_BYTES = 16, ROUNDS = 100000, GUESSES_A_MINUTE = 10 };

struct accounts {
    char *accounts_file, *accepted_file;
    json_t *accounts; /* name: {salt, hash}, in base64 */
    json_t *accepted; /* name: [sha256] */
    unsigned char *key;
    size_t key_length;
    GHashTable *guesses; /* wrong ones of the last minute, by whoever made them and by the name that they were for */
    gint64 minute;
    GMutex lock;
};

static json_t *load_object(const char *file) {
    json_t *all = json_load_file(file, 0, NULL);
    if (json_is_object(all))
        return all;
    json_decref(all);
    return json_object();
}

/* For the depot's owner alone. */
static enum ta_status keep_json(const char *file, const json_t *value, struct ta_problem *why) {
    char *text = json_dumps(value, JSON_INDENT(1) | JSON_SORT_KEYS);
    enum ta_status status = file_write_private(file, text, strlen(text), why);
    free(text);
    return status;
}

static enum ta_status open_key(struct accounts *accounts, const char *file, struct ta_problem *why) {
    unsigned char fresh[KEY_BYTES];
    char *bytes;
    enum ta_status status = TA_OK;
    if (!g_file_test(file, G_FILE_TEST_EXISTS)) {
        if (RAND_bytes(fresh, sizeof fresh) != 1)
            return ta_problem_set(why, TA_E_SYSTEM, NULL, "this computer gives no random numbers");
        status = file_write_private(file, fresh, sizeof fresh, why);
    }
    if (!status)
        status = file_read(file, 4096, &bytes, &accounts->key_length, why);
    if (!status)
        accounts->key = (unsigned char *)bytes;
    if (!status && accounts->key_length < KEY_BYTES)
        status =
            ta_problem_set(why, TA_E_INPUT, "remove it: the tool makes a new one", "%s is too short for a key", file);
    return status;
}

enum ta_status accounts_open(const char *folder, struct accounts **result, struct ta_problem *why) {
    struct accounts *accounts = g_new0(struct accounts, 1);
    g_autofree char *key = g_build_filename(folder, "secret.key", NULL);
    g_mutex_init(&accounts->lock);
    accounts->guesses = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    accounts->accounts_file = g_build_filename(folder, "accounts.json", NULL);
    accounts->accepted_file = g_build_filename(folder, "accepted.json", NULL);
    accounts->accounts = load_object(accounts->accounts_file);
    accounts->accepted = load_object(accounts->accepted_file);
    enum ta_status status = open_key(accounts, key, why);
    *result = accounts;
    if (status) {
        accounts_close(accounts);
        *result = NULL;
    }
    return status;
}

void accounts_close(struct accounts *accounts) {
    if (!accounts)
        return;
    g_free(accounts->accounts_file);
    g_free(accounts->accepted_file);
    json_decref(accounts->accounts);
    json_decref(accounts->accepted);
    g_free(accounts->key);
    g_hash_table_destroy(accounts->guesses);
    g_mutex_clear(&accounts->lock);
    g_free(accounts);
}

/* Passwords. */

static bool derive(const char *password, const unsigned char *salt, size_t salt_length, unsigned char hash[KEY_BYTES]) {
    return PKCS5_PBKDF2_HMAC(password, (int)strlen(password), salt, (int)salt_length, ROUNDS, EVP_sha256(), KEY_BYTES,
                             hash) == 1;
}

enum ta_status accounts_set(struct accounts *accounts, const char *name, const char *password, struct ta_problem *why) {
    unsigned char salt[SALT_BYTES], hash[KEY_BYTES];
    if (RAND_bytes(salt, sizeof salt) != 1 || !derive(password, salt, sizeof salt, hash))
        return ta_problem_set(why, TA_E_SYSTEM, NULL, "this computer gives no random numbers");
    g_autofree char *salt_text = g_base64_encode(salt, sizeof salt), *hash_text = g_base64_encode(hash, sizeof hash);
    json_object_set_new(accounts->accounts, name, json_pack("{s:s, s:s}", "salt", salt_text, "hash", hash_text));
    return keep_json(accounts->accounts_file, accounts->accounts, why);
}

static bool check(struct accounts *accounts, const char *name, const char *password) {
    const json_t *account = json_object_get(accounts->accounts, name);
    const char *salt_text = json_string_value(json_object_get(account, "salt"));
    const char *hash_text = json_string_value(json_object_get(account, "hash"));
    unsigned char derived[KEY_BYTES];
    gsize salt_length = 0, hash_length = 0;
    g_autofree guchar *salt = g_base64_decode(salt_text ? salt_text : "", &salt_length);
    g_autofree guchar *hash = g_base64_decode(hash_text ? hash_text : "", &hash_length);
    /* Somebody unknown takes as long as a wrong password. */
    bool good = derive(password, salt, salt_length, derived) && hash_length == KEY_BYTES;
    return good && !CRYPTO_memcmp(derived, hash, KEY_BYTES);
}

/* Counts MORE wrong guesses of this minute under KEY; how many there are now. */
static unsigned count_guesses(struct accounts *accounts, const char *key, unsigned more) {
    enum { MOST_KEYS = 10000 };
    gint64 minute = g_get_monotonic_time() / (60 * G_TIME_SPAN_SECOND);
    g_mutex_lock(&accounts->lock);
    if (minute != accounts->minute || g_hash_table_size(accounts->guesses) > MOST_KEYS)
        g_hash_table_remove_all(accounts->guesses);
    accounts->minute = minute;
    unsigned count = GPOINTER_TO_UINT(g_hash_table_lookup(accounts->guesses, key)) + more;
    if (more)
        g_hash_table_insert(accounts->guesses, g_strdup(key), GUINT_TO_POINTER(count));
    g_mutex_unlock(&accounts->lock);
    return count;
}

enum account_answer accounts_sign_in(struct accounts *accounts, const char *from, const char *name,
                                     const char *password) {
    g_autofree char *by = g_strconcat("from ", from, NULL), *of = g_strconcat("for ", name, NULL);
    if (count_guesses(accounts, by, 0) >= GUESSES_A_MINUTE || count_guesses(accounts, of, 0) >= GUESSES_A_MINUTE)
        return ACCOUNT_WAITS;
    if (check(accounts, name, password))
        return ACCOUNT_KNOWN;
    count_guesses(accounts, by, 1);
    count_guesses(accounts, of, 1);
    return ACCOUNT_UNKNOWN;
}

/* Tokens. */

char *accounts_token(struct accounts *accounts, const char *name, int64_t lifetime_s) {
    jwt_t *token = NULL;
    time_t now = time(NULL);
    char *text = NULL;
    if (!jwt_new(&token) && !jwt_set_alg(token, JWT_ALG_HS256, accounts->key, (int)accounts->key_length) &&
        !jwt_add_grant(token, "sub", name) && !jwt_add_grant_int(token, "iat", (long)now) &&
        !jwt_add_grant_int(token, "exp", (long)(now + lifetime_s)))
        text = jwt_encode_str(token);
    char *kept = g_strdup(text);
    free(text);
    jwt_free(token);
    return kept;
}

char *accounts_of_token(struct accounts *accounts, const char *text, bool *ended) {
    jwt_t *token = NULL;
    char *name = NULL;
    *ended = false;
    if (!jwt_decode(&token, text, accounts->key, (int)accounts->key_length) && jwt_get_alg(token) == JWT_ALG_HS256) {
        long now = (long)time(NULL);
        *ended = jwt_get_grant_int(token, "exp") <= now;
        name = *ended || jwt_get_grant_int(token, "nbf") > now /* which it lacks as a rule: 0 */
                   ? NULL
                   : g_strdup(jwt_get_grant(token, "sub"));
        if (name && !json_object_get(accounts->accounts, name))
            g_clear_pointer(&name, g_free); /* the account was taken away */
    }
    jwt_free(token);
    return name;
}

/* Licences. */

static bool has_accepted(const struct accounts *accounts, const char *name, const char *sha256) {
    const json_t *list = json_object_get(accounts->accepted, name);
    for (size_t i = 0; i < json_array_size(list); ++i)
        if (!strcmp(json_string_value(json_array_get(list, i)), sha256))
            return true;
    return false;
}

enum ta_status accounts_accept(struct accounts *accounts, const char *name, const char *sha256,
                               struct ta_problem *why) {
    enum ta_status status = TA_OK;
    g_mutex_lock(&accounts->lock);
    if (!has_accepted(accounts, name, sha256)) {
        if (!json_object_get(accounts->accepted, name))
            json_object_set_new(accounts->accepted, name, json_array());
        json_array_append_new(json_object_get(accounts->accepted, name), json_string(sha256));
        status = keep_json(accounts->accepted_file, accounts->accepted, why);
    }
    g_mutex_unlock(&accounts->lock);
    return status;
}

bool accounts_accepted(struct accounts *accounts, const char *name, const char *sha256) {
    g_mutex_lock(&accounts->lock);
    bool accepted = has_accepted(accounts, name, sha256);
    g_mutex_unlock(&accounts->lock);
    return accepted;
}
