#include "core/models.h"

#include <string.h>

const struct component *sdk_component(const struct sdk *sdk, const char *name) {
    for (size_t i = 0; i < sdk->component_count; ++i)
        if (!strcmp(sdk->components[i].name, name))
            return &sdk->components[i];
    return NULL;
}
