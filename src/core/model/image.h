/* What every reader of images does once it has the segments. */
#ifndef TA_CORE_MODEL_IMAGE_H
#define TA_CORE_MODEL_IMAGE_H

#include "tameanchor/image.h"

/* Fills in the identity that the first of IMAGE's segments to have one carries, and where. */
void image_find_identity(struct ta_image *image);

#endif
