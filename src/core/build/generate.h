/* What is generated for a board: the linker script, the header that names its devices, the note that carries the
   identity. Deterministic: the same profile gives the same text. */
#ifndef TA_CORE_BUILD_GENERATE_H
#define TA_CORE_BUILD_GENERATE_H

#include "base/text.h"
#include "core/model/models.h"
#include "tameanchor/image.h"

enum { STACK_BYTES = 2048, CONSOLE_BAUD = 115200 }; /* unless the setup says otherwise */

/* A script that GNU ld and lld both take: code in the memory that holds the reset address, data in the first RAM. ROOM
   multiplies the memories' sizes: 1, or more to measure an image that does not fit. */
enum ta_status generate_linker_script(const struct ta_profile *profile, const struct board_options *options,
                                      unsigned room, struct text *script, struct ta_problem *why);

/* board.h: addresses, interrupt numbers, clocks; lamps and buttons by name. */
void generate_board_header(const struct ta_profile *profile, const struct board_options *options, struct text *header);

/* One of the project's assets: its name among the project's files, where the assembler finds it, its digest. */
struct resource {
    const char *name, *path, *sha256;
};

/* resources.h and resources.S: all of them in the image, with an identifier each. */
void generate_resources(const struct resource *resources, size_t count, struct text *header, struct text *source);

/* The ELF notes of an image (see image.h), as they lie in memory. ABOUT may be null. */
void generate_identity_note(const struct ta_identity *identity, const char *about, struct text *bytes);

#endif
