#include "host/signature.h"

#include <glib.h>
#include <openssl/evp.h>
#include <openssl/pem.h>
#include <openssl/x509.h>
#include <string.h>

enum { SIGNATURE_BYTES = 64, KEY_BYTES = 65536 };

/* A key, private or public, of the right kind; null when the file holds none. Never asks for a passphrase. */
static EVP_PKEY *read_key(const char *path, bool secret) {
    static char no_passphrase[] = "";
    g_autofree char *text = NULL;
    size_t length = 0;
    BIO *bytes = file_read(path, KEY_BYTES, &text, &length, NULL) ? NULL : BIO_new_mem_buf(text, (int)length);
    EVP_PKEY *key = !bytes   ? NULL
                    : secret ? PEM_read_bio_PrivateKey(bytes, NULL, NULL, no_passphrase)
                             : PEM_read_bio_PUBKEY(bytes, NULL, NULL, no_passphrase);
    BIO_free(bytes);
    if (text)
        OPENSSL_cleanse(text, length);
    if (key && EVP_PKEY_base_id(key) == EVP_PKEY_ED25519)
        return key;
    EVP_PKEY_free(key);
    return NULL;
}

enum ta_status signature_make(const char *key_file, const void *bytes, size_t length,
                              char signature[SIGNATURE_TEXT_BYTES], struct ta_problem *why) {
    unsigned char raw[SIGNATURE_BYTES];
    size_t size = sizeof raw;
    EVP_PKEY *key = read_key(key_file, true);
    if (!key)
        return ta_problem_set(why, TA_E_INPUT, "openssl genpkey -algorithm ed25519 -out KEY.pem makes one",
                              "%s holds no private Ed25519 key without a passphrase", key_file);
    EVP_MD_CTX *context = EVP_MD_CTX_new();
    bool good = context && EVP_DigestSignInit(context, NULL, NULL, NULL, key) == 1 &&
                EVP_DigestSign(context, raw, &size, bytes, length) == 1;
    EVP_MD_CTX_free(context);
    EVP_PKEY_free(key);
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
    EVP_MD_CTX *context = key ? EVP_MD_CTX_new() : NULL;
    bool good = context && EVP_DigestVerifyInit(context, NULL, NULL, NULL, key) == 1 &&
                EVP_DigestVerify(context, raw, size, bytes, length) == 1;
    EVP_MD_CTX_free(context);
    EVP_PKEY_free(key);
    return good;
}

enum ta_status signature_key_fingerprint(const char *key_file, char text[SHA256_TEXT_BYTES], struct ta_problem *why) {
    EVP_PKEY *key = read_key(key_file, false);
    unsigned char *der = NULL;
    int length = key ? i2d_PUBKEY(key, &der) : 0;
    EVP_PKEY_free(key);
    if (length <= 0)
        return ta_problem_set(why, TA_E_INPUT, "openssl pkey -in KEY.pem -pubout gives the public half",
                              "%s holds no public Ed25519 key", key_file);
    bytes_sha256(der, (size_t)length, text);
    OPENSSL_free(der);
    return TA_OK;
}
