/* JSON values as files. */
#ifndef TA_HOST_JSON_FILE_H
#define TA_HOST_JSON_FILE_H

#include "tameanchor/status.h"

#include <stdbool.h>

struct json_t;

/* Writes VALUE to PATH, or leaves what was there; with IS_PRIVATE, for its owner alone. */
enum ta_status json_file_write(const char *path, const struct json_t *value, bool is_private, struct ta_problem *why);

#endif
