/* The functions that were under way when a hart trapped, by the call frame information of its image (DWARF 5, 6.4). */
#ifndef TA_HOST_CALL_CHAIN_H
#define TA_HOST_CALL_CHAIN_H

#include "tameanchor/image.h"
#include "tameanchor/trap.h"

#include <glib.h>

/* Where each of them is, the innermost first: "tide_level (src/tide.c:42)". Strings, freed with g_ptr_array_unref; none when the image tells
   nothing. Goes on as far as the scene's stack and the image's information reach. */
GPtrArray *call_chain(const struct ta_image *image, const struct ta_scene *scene);

#endif
