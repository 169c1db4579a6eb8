/* Pictures as PNG files (ISO/IEC 15948), through cairo, which is loaded when the first one is read or written. */
#ifndef TA_HOST_PICTURE_FILE_H
#define TA_HOST_PICTURE_FILE_H

#include "tameanchor/picture.h"

/* Reads the PNG at PATH, called NAME in problems, to be freed with ta_picture_free; what it leaves clear is black. TA_E_INPUT for a file that is
   none, is damaged, or is larger than a screen can be. */
enum ta_status picture_read(const char *path, const char *name, struct ta_picture *picture, struct ta_problem *why);

/* Writes PICTURE to PATH, whole or not at all. */
enum ta_status picture_save(const struct ta_picture *picture, const char *path, struct ta_problem *why);

#endif
