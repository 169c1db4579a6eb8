/* What is generated for a board: the linker script, the header that names its devices, the note that carries the
   identity. Deterministic: the same profile gives the same text. */
#ifndef TA_CORE_PLAN_GENERATE_H
#define TA_CORE_PLAN_GENERATE_H

#include "base/text.h"
#include "core/model/models.h"
#include "tameanchor/image.h"

enum { STACK_BYTES = 2048, CONSOLE_BAUD = 115200 }; /* unless the setup says otherwise */

/* The harts that run an image, and where it lies: CODE in the memory that holds their reset address, from there on; DATA in the same
   when that is RAM, else in the board's first RAM. STORE is the flash that keeps an image for the hart that copies it, or null. */
struct image_place {
    struct ta_hart_group group;
    unsigned first_hart;
    const struct ta_memory *code, *data, *store;
};

/* The place of the image of the group of harts NAME, null for the first one. TA_E_INPUT when PROFILE has no memory for it. */
enum ta_status image_place_find(const struct ta_profile *profile, const char *name, struct image_place *place,
                                struct ta_problem *why);

/* Whether two images would lie in one memory, which is its name; else null. */
const char *image_places_meet(const struct image_place *one, const struct image_place *other);

/* Where the image begins in the memory that is programmed. */
uint64_t image_place_start(const struct image_place *place);

/* An image that another hart copies has a head of so many bytes: its reset address and the bytes to copy, two 64-bit numbers with the
   lowest byte first. What is to be copied comes behind it. */
enum { IMAGE_HEAD_BYTES = 64 };

/* A script that GNU ld and lld both take. ROOM multiplies the memories' sizes: 1, or more to measure an image that does not fit. */
void generate_linker_script(const struct ta_profile *profile, const struct image_place *place,
                            const struct board_options *options, unsigned room, struct text *script);

/* board.h: addresses, interrupt numbers, clocks; lamps and buttons by name; of several groups of harts, their numbers. GROUP is the one
   that the header is for. */
void generate_board_header(const struct ta_profile *profile, const struct ta_hart_group *group,
                           const struct board_options *options, struct text *header);

/* One of the project's assets: its name among the project's files, where the assembler finds it, its digest. */
struct resource {
    const char *name, *path, *sha256;
};

/* resources.h and resources.S: all of them in the image, with an identifier each. */
void generate_resources(const struct resource *resources, size_t count, struct text *header, struct text *source);

/* The ELF notes of an image (see image.h), as they lie in memory. ABOUT may be null. */
void generate_identity_note(const struct ta_identity *identity, const char *about, struct text *bytes);

/* NAME as a part of a macro's name: "lamp ring" becomes LAMP_RING. */
void generate_identifier(struct text *header, const char *name);

#endif
