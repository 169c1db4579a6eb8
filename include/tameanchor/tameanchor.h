/* Everything of Tame Anchor. */
#ifndef TAMEANCHOR_H
#define TAMEANCHOR_H

#include "tameanchor/bench.h"
#include "tameanchor/catalog.h"
#include "tameanchor/chain.h"
#include "tameanchor/image.h"
#include "tameanchor/library.h"
#include "tameanchor/live.h"
#include "tameanchor/machine.h"
#include "tameanchor/settings.h"
#include "tameanchor/snapshot.h"
#include "tameanchor/trap.h"
#include "tameanchor/trial.h"
#include "tameanchor/version.h"
#include "tameanchor/watch.h"

#endif
