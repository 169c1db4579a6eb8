#include "host/json_file.h"

#include "host/files.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>

enum ta_status json_file_write(const char *path, const struct json_t *value, bool is_private, struct ta_problem *why) {
    char *text = json_dumps(value, JSON_INDENT(1) | JSON_SORT_KEYS);
    if (!text)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    enum ta_status status = (is_private ? file_write_private : file_write)(path, text, strlen(text), why);
    free(text);
    return status;
}
