#include "core/models.h"

#include <stdlib.h>
#include <string.h>

const struct component *sdk_component(const struct sdk *sdk, const char *name) {
    for (size_t i = 0; i < sdk->component_count; ++i)
        if (!strcmp(sdk->components[i].name, name))
            return &sdk->components[i];
    return NULL;
}

const char *needs_range(const struct needs *needs, const char *name) {
    for (size_t i = 0; i < needs->count; ++i)
        if (!strcmp(needs->items[i].name, name))
            return needs->items[i].range;
    return NULL;
}

const char *component_origin(const struct sdk *sdk, const struct component *component) {
    return component->sdk.count ? component->name : sdk->sdk;
}

static bool has_connector(const struct texts *connectors, const char *item) {
    const char *blank = strrchr(item, ' ');
    bool counted = blank && blank[1] && strspn(blank + 1, "0123456789") == strlen(blank + 1);
    for (size_t i = 0; i < connectors->count; ++i) {
        const char *each = connectors->items[i];
        bool same_name = counted && !strncmp(each, item, (size_t)(blank - item) + 1);
        if (!strcmp(each, item) || (same_name && strtoul(each + (blank - item), NULL, 10) >= strtoul(blank, NULL, 10)))
            return true;
    }
    return false;
}

bool connectors_fit(const struct texts *connectors, const struct texts *wanted, const char **missing) {
    for (size_t i = 0; i < wanted->count; ++i) {
        if (has_connector(connectors, wanted->items[i]))
            continue;
        if (missing)
            *missing = wanted->items[i];
        return false;
    }
    return true;
}
