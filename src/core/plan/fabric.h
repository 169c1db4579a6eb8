/* A fabric's description, as its author writes it, becomes an image, and a header that tells the program where everything is. */
#ifndef TA_CORE_PLAN_FABRIC_H
#define TA_CORE_PLAN_FABRIC_H

#include "base/text.h"
#include "core/model/models.h"
#include "tameanchor/fabric.h"

/* Lays out what DESCRIPTION says. TA_E_INPUT when a block cannot be, or lies where another does; WHY names its key. */
enum ta_status fabric_plan(const struct fabric_description *description, struct ta_fabric_image *image,
                           struct ta_problem *why);

/* fabric.h: where each block of IMAGE is, on the board's DEVICE, and the identity that the fabric carries. */
void generate_fabric_header(const struct fabric_description *description, const struct ta_fabric_image *image,
                            const char *device, struct text *header);

#endif
