/* Downloads from depots. */
#ifndef TA_FLOW_DEPOT_DOWNLOAD_H
#define TA_FLOW_DEPOT_DOWNLOAD_H

#include "flow/context.h"

/* Downloads OFFER's archive to PATH, going on where an earlier download of it stopped, and checks its size and SHA-256. */
enum ta_status depot_download(struct ta_context *context, const struct offer *offer, const char *path,
                              struct ta_problem *why);

#endif
