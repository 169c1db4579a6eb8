#include "host/sha256.h"

#include <glib.h>
#include <openssl/evp.h>
#include <string.h>

/* Pieces are mostly short: they are gathered before they are digested. */
struct sha256 {
    EVP_MD_CTX *context;
    size_t used;
    uint8_t gathered[4096];
};

struct sha256 *sha256_new(void) {
    struct sha256 *sum = g_new0(struct sha256, 1);
    sum->context = EVP_MD_CTX_new();
    if (!sum->context || EVP_DigestInit_ex(sum->context, EVP_sha256(), NULL) != 1)
        g_error("no memory for a digest");
    return sum;
}

void sha256_free(struct sha256 *sum) {
    EVP_MD_CTX_free(sum->context);
    g_free(sum);
}

static void flush(struct sha256 *sum) {
    EVP_DigestUpdate(sum->context, sum->gathered, sum->used);
    sum->used = 0;
}

void sha256_add(struct sha256 *sum, const void *bytes, size_t length) {
    if (length > sizeof sum->gathered - sum->used)
        flush(sum);
    if (length > sizeof sum->gathered) {
        EVP_DigestUpdate(sum->context, bytes, length);
        return;
    }
    memcpy(sum->gathered + sum->used, bytes, length);
    sum->used += length;
}

void sha256_add_line(struct sha256 *sum, const char *text) {
    sha256_add(sum, text, strlen(text));
    sha256_add(sum, "\n", 1);
}

void sha256_end(struct sha256 *sum, uint8_t digest[SHA256_BYTES]) {
    flush(sum);
    EVP_DigestFinal_ex(sum->context, digest, NULL);
    EVP_DigestInit_ex(sum->context, NULL, NULL);
}
