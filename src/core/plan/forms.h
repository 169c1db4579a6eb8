/* Images as text: Intel HEX (Hexadecimal Object File Format Specification, Revision A, 1988) and Motorola S-records. */
#ifndef TA_CORE_PLAN_FORMS_H
#define TA_CORE_PLAN_FORMS_H

#include "base/arena.h"
#include "base/text.h"
#include "tameanchor/image.h"

/* What of IMAGE is loaded, in ascending order of addresses. TA_E_INPUT for an address over 32 bits, which neither form knows. */
enum ta_status hex_write(const struct ta_image *image, struct text *text, struct ta_problem *why);
enum ta_status srec_write(const struct ta_image *image, struct text *text, struct ta_problem *why);

/* Reads TEXT of LENGTH bytes into segments of IMAGE, and its start address when it tells one, in *STARTS; memory from ARENA. Problems name
   the line of the file NAME. */
enum ta_status hex_read(const char *text, size_t length, const char *name, struct arena *arena, struct ta_image *image,
                        bool *starts, struct ta_problem *why);
enum ta_status srec_read(const char *text, size_t length, const char *name, struct arena *arena, struct ta_image *image,
                         bool *starts, struct ta_problem *why);

#endif
