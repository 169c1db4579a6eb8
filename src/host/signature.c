#include "host/signature.h"

#include "host/late.h"

#include <glib.h>
#include <openssl/crypto.h>
#include <openssl/evp.h>
#include <openssl/pem.h>
#include <openssl/x509.h>
#include <string.h>

enum { SIGNATURE_BYTES = 64, KEY_BYTES = 65536 };

/* What of libcrypto is used. */
static struct {
    __typeof__(BIO_new_mem_buf) *bio_new;
    __typeof__(BIO_free) *bio_free;
    __typeof__(PEM_read_bio_PrivateKey) *read_private;
    __typeof__(PEM_read_bio_PUBKEY) *read_public;
    __typeof__(OPENSSL_cleanse) *cleanse;
    __typeof__(EVP_PKEY_get_base_id) *key_kind;
    __typeof__(EVP_PKEY_free) *key_free;
    __typeof__(EVP_MD_CTX_new) *context_new;
    __typeof__(EVP_MD_CTX_free) *context_free;
    __typeof__(EVP_DigestSignInit) *sign_init;
    __typeof__(EVP_DigestSign) *sign;
    __typeof__(EVP_DigestVerifyInit) *verify_init;
    __typeof__(EVP_DigestVerify) *verify;
    __typeof__(i2d_PUBKEY) *key_to_der;
    __typeof__(CRYPTO_free) *free;
} crypto;

static bool has_library(void) {
    static const struct late_function functions[] = {{"BIO_new_mem_buf", (void **)&crypto.bio_new},
                                                     {"BIO_free", (void **)&crypto.bio_free},
                                                     {"PEM_read_bio_PrivateKey", (void **)&crypto.read_private},
                                                     {"PEM_read_bio_PUBKEY", (void **)&crypto.read_public},
                                                     {"OPENSSL_cleanse", (void **)&crypto.cleanse},
                                                     {"EVP_PKEY_get_base_id", (void **)&crypto.key_kind},
                                                     {"EVP_PKEY_free", (void **)&crypto.key_free},
                                                     {"EVP_MD_CTX_new", (void **)&crypto.context_new},
                                                     {"EVP_MD_CTX_free", (void **)&crypto.context_free},
                                                     {"EVP_DigestSignInit", (void **)&crypto.sign_init},
                                                     {"EVP_DigestSign", (void **)&crypto.sign},
                                                     {"EVP_DigestVerifyInit", (void **)&crypto.verify_init},
                                                     {"EVP_DigestVerify", (void **)&crypto.verify},
                                                     {"i2d_PUBKEY", (void **)&crypto.key_to_der},
                                                     {"CRYPTO_free", (void **)&crypto.free}};
    return late_load("libcrypto.so.3", functions, G_N_ELEMENTS(functions));
}

/* A key, private or public, of the right kind; null when the file holds none. Never asks for a passphrase. */
static EVP_PKEY *read_key(const char *path, bool secret) {
    static char no_passphrase[] = "";
    if (!has_library())
        return NULL;
    g_autofree char *text = NULL;
    size_t length = 0;
    BIO *bytes = file_read(path, KEY_BYTES, &text, &length, NULL) ? NULL : crypto.bio_new(text, (int)length);
    EVP_PKEY *key = !bytes   ? NULL
                    : secret ? crypto.read_private(bytes, NULL, NULL, no_passphrase)
                             : crypto.read_public(bytes, NULL, NULL, no_passphrase);
    crypto.bio_free(bytes);
    if (text)
        crypto.cleanse(text, length);
    if (key && crypto.key_kind(key) == EVP_PKEY_ED25519)
        return key;
    crypto.key_free(key);
    return NULL;
}

/* Either may be null; without the library, both are. */
static void free_both(EVP_MD_CTX *context, EVP_PKEY *key) {
    if (context)
        crypto.context_free(context);
    if (key)
        crypto.key_free(key);
}

enum ta_status signature_make(const char *key_file, const void *bytes, size_t length,
                              char signature[SIGNATURE_TEXT_BYTES], struct ta_problem *why) {
    unsigned char raw[SIGNATURE_BYTES];
    size_t size = sizeof raw;
    EVP_PKEY *key = read_key(key_file, true);
    if (!key)
        return ta_problem_set(why, TA_E_INPUT, "openssl genpkey -algorithm ed25519 -out KEY.pem makes one",
                              "%s holds no private Ed25519 key without a passphrase", key_file);
    EVP_MD_CTX *context = crypto.context_new();
    bool good = context && crypto.sign_init(context, NULL, NULL, NULL, key) == 1 &&
                crypto.sign(context, raw, &size, bytes, length) == 1;
    free_both(context, key);
    if (!good)
        return ta_problem_set(why, TA_E_SYSTEM, NULL, "cannot sign with %s", key_file);
    g_autofree char *text = g_base64_encode(raw, size);
    g_strlcpy(signature, text, SIGNATURE_TEXT_BYTES);
    return TA_OK;
}

bool signature_is_by(const char *key_file, const void *bytes, size_t length, const char *signature) {
    gsize size = 0;
    g_autofree guchar *raw = g_base64_decode(signature, &size);
    g_autofree char *again = g_base64_encode(raw, size);
    size_t text = strlen(again);
    bool whole = !strncmp(signature, again, text) && (!signature[text] || !strcmp(signature + text, "\n"));
    EVP_PKEY *key = whole && size == SIGNATURE_BYTES ? read_key(key_file, false) : NULL;
    EVP_MD_CTX *context = key ? crypto.context_new() : NULL;
    bool good = context && crypto.verify_init(context, NULL, NULL, NULL, key) == 1 &&
                crypto.verify(context, raw, size, bytes, length) == 1;
    free_both(context, key);
    return good;
}

enum ta_status signature_key_fingerprint(const char *key_file, char text[SHA256_TEXT_BYTES], struct ta_problem *why) {
    EVP_PKEY *key = read_key(key_file, false);
    unsigned char *der = NULL;
    int length = key ? crypto.key_to_der(key, &der) : 0;
    free_both(NULL, key);
    if (length <= 0)
        return ta_problem_set(why, TA_E_INPUT, "openssl pkey -in KEY.pem -pubout gives the public half",
                              "%s holds no public Ed25519 key", key_file);
    bytes_sha256(der, (size_t)length, text);
    crypto.free(der, OPENSSL_FILE, OPENSSL_LINE);
    return TA_OK;
}
