/* Images in files: ELF, Intel HEX, S-records, raw bytes, app packages. */
#ifndef TA_HOST_IMAGE_FILE_H
#define TA_HOST_IMAGE_FILE_H

#include "base/arena.h"
#include "tameanchor/image.h"

/* Reads the image at PATH, whose content tells its form; memory from ARENA. What is none of the others is raw bytes when its name ends in
   .bin. PROFILE, which may be null for ELF, tells what only ELF tells: its width, and where it starts; raw bytes lie there. */
enum image_form { IMAGE_ELF, IMAGE_HEX, IMAGE_SREC, IMAGE_RAW, IMAGE_APP };
extern const char *const image_form_words[];
enum image_form image_form_of(const char *path);
enum ta_status image_read(const char *path, const struct ta_profile *profile, struct arena *arena,
                          struct ta_image *image, struct ta_problem *why);

#endif
