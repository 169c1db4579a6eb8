/* An image: what a build makes and a deploy programs into a target. */
#ifndef TAMEANCHOR_IMAGE_H
#define TAMEANCHOR_IMAGE_H

#include "tameanchor/profile.h"

#ifdef __cplusplus
extern "C" {
#endif

/* An identity: the SHA-256 of everything that went into an image. It is carried in an ELF note that is loaded into
   flash, so that it can be read back from the target: name "TameAnchor", type TA_IDENTITY_NOTE, the digest as
   description. Behind it stands another of type TA_ABOUT_NOTE, whose description is text, a line each: "project NAME VERSION",
   "sdk NAME VERSION", "component NAME VERSION" for each, "compiler NAME VERSION", "board NAME VERSION", "built SECONDS" since
   1970. */
enum { TA_IDENTITY_BYTES = 32, TA_IDENTITY_NOTE = 1, TA_ABOUT_NOTE = 2 };

struct ta_identity {
    uint8_t bytes[TA_IDENTITY_BYTES];
};

/* A run of bytes to be placed at physical ADDRESS; while the program runs it takes MEMORY_BYTES at RUN_ADDRESS (data
   that is copied to RAM, and what is zeroed there). SIZE_BYTES may be 0. */
struct ta_segment {
    uint64_t address;
    const uint8_t *bytes;
    size_t size_bytes;
    uint64_t run_address, memory_bytes;
};

struct ta_symbol {
    const char *name;
    uint64_t address, size_bytes;
    bool function;
};

/* Symbols are sorted by address. */
struct ta_image {
    const char *path;
    unsigned xlen;
    uint64_t entry;
    const struct ta_segment *segments;
    size_t segment_count;
    const struct ta_symbol *symbols;
    size_t symbol_count;
    bool has_identity;
    struct ta_identity identity;
    uint64_t identity_address; /* where the TA_IDENTITY_BYTES of it lie */
};

/* Checks that every segment lies in one memory of PROFILE, also once it runs, that the entry does, and that its width is that of the harts
   of GROUP (null: the group that starts at the image's entry, else the first). WHY names the segment. */
enum ta_status ta_image_fits(const struct ta_image *image, const struct ta_profile *profile, const char *group,
                             struct ta_problem *why);

/* How many bytes of MEMORY the image takes, once it runs. */
uint64_t ta_image_usage(const struct ta_image *image, const struct ta_memory *memory);

/* The symbol whose code or data holds ADDRESS; else the nearest before it in the same memory. Null when none. */
const struct ta_symbol *ta_image_symbol_at(const struct ta_image *image, uint64_t address);
const struct ta_symbol *ta_image_symbol(const struct ta_image *image, const char *name);

/* Looks for the identity note in SIZE bytes of memory contents, which start on a 4-byte boundary. *OFFSET (may be null) says where in BYTES
   the identity begins. */
bool ta_identity_find(const uint8_t *bytes, size_t size, struct ta_identity *identity, size_t *offset);

/* Looks for the note that tells what the image was made of, in the same way: its text, of *LENGTH bytes and without a zero behind, in
   BYTES; null when there is none. */
const char *ta_about_find(const uint8_t *bytes, size_t size, size_t *length);

/* The first eight hexadecimal digits, as people compare them, and all 64. */
enum { TA_IDENTITY_SHORT = 9, TA_IDENTITY_TEXT = 65 };
void ta_identity_text(const struct ta_identity *identity, char *buffer, size_t size);

#ifdef __cplusplus
}
#endif
#endif
