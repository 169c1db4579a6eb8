/* Pictures that live as long as an arena. */
#ifndef TA_CORE_MODEL_PICTURE_H
#define TA_CORE_MODEL_PICTURE_H

#include "base/arena.h"
#include "tameanchor/picture.h"

/* The arena's own copy of PICTURE; null without memory. */
const struct ta_picture *picture_keep(struct arena *arena, const struct ta_picture *picture);

#endif
