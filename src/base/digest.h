/* FNV-1a, 64 bits: the fingerprint of a trace. Not for security; contents are compared by SHA-256 in host. */
#ifndef TA_BASE_DIGEST_H
#define TA_BASE_DIGEST_H

#include "base/little.h"

#include <stddef.h>

#define DIGEST_START UINT64_C(0xcbf29ce484222325)

static inline uint64_t digest_bytes(uint64_t digest, const void *bytes, size_t length) {
    const unsigned char *at = bytes;
    for (size_t i = 0; i < length; ++i)
        digest = (digest ^ at[i]) * UINT64_C(0x100000001b3);
    return digest;
}

/* Eight bytes at a time, for much of them: not what digest_bytes gives, and the same on every host. */
static inline uint64_t digest_much(uint64_t digest, const void *bytes, size_t length) {
    const unsigned char *at = bytes;
    for (; length >= 8; at += 8, length -= 8) {
        digest = (digest ^ little_load(at, 8)) * UINT64_C(0x100000001b3);
        digest ^= digest >> 32; /* upper bits come back down */
    }
    return digest_bytes(digest, at, length);
}

/* The number's bytes go in lowest first, so that every host gives the same digest. */
static inline uint64_t digest_number(uint64_t digest, uint64_t number) {
    for (unsigned i = 0; i < 64; i += 8)
        digest = (digest ^ ((number >> i) & 0xff)) * UINT64_C(0x100000001b3);
    return digest;
}

/* FNV-1a, 32 bits: the check of what boards load, such as a fabric's image. */
#define CHECK_START UINT32_C(0x811c9dc5)

static inline uint32_t check_bytes(uint32_t check, const void *bytes, size_t length) {
    const unsigned char *at = bytes;
    for (size_t i = 0; i < length; ++i)
        check = (check ^ at[i]) * UINT32_C(0x01000193);
    return check;
}

#endif
