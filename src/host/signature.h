/* Ed25519 signatures (RFC 8032), through libcrypto. Keys are PEM files: PKCS #8 for the private one, SubjectPublicKeyInfo for
   the public one, as `openssl genpkey -algorithm ed25519` and `openssl pkey -pubout` write them. */
#ifndef TA_HOST_SIGNATURE_H
#define TA_HOST_SIGNATURE_H

#include "host/files.h"
#include "tameanchor/status.h"

#include <stdbool.h>
#include <stddef.h>

/* A signature as text: base64 of its 64 bytes, and a zero. */
enum { SIGNATURE_TEXT_BYTES = 89 };

/* Signs LENGTH bytes with the private key in KEY_FILE. */
enum ta_status signature_make(const char *key_file, const void *bytes, size_t length,
                              char signature[SIGNATURE_TEXT_BYTES], struct ta_problem *why);

/* Whether SIGNATURE over the bytes was made with the key that belongs to the public one in KEY_FILE. A file that holds no
   Ed25519 key has made none. */
bool signature_is_by(const char *key_file, const void *bytes, size_t length, const char *signature);

/* SHA-256 (RFC 6920's input: the key as SubjectPublicKeyInfo) of the public key in a file, for people to compare. */
enum ta_status signature_key_fingerprint(const char *key_file, char text[SHA256_TEXT_BYTES], struct ta_problem *why);

#endif
