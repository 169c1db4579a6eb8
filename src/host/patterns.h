/* Regular expressions for trials: GLib's, which are Perl-compatible. */
#ifndef TA_HOST_PATTERNS_H
#define TA_HOST_PATTERNS_H

#include "tameanchor/trial.h"

extern const struct ta_patterns host_patterns;

#endif
