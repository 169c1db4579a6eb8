/* Everything of Tame Anchor. */
#ifndef TAMEANCHOR_H
#define TAMEANCHOR_H

#include "tameanchor/chain.h"
#include "tameanchor/image.h"
#include "tameanchor/machine.h"
#include "tameanchor/version.h"

#endif
