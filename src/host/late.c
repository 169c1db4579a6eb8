#include "host/late.h"

#include <gmodule.h>

bool late_load(const char *library, const struct late_function *functions, size_t count) {
    static GMutex mutex;
    bool good = true;
    g_mutex_lock(&mutex);
    GModule *module =
        *functions[count - 1].to ? NULL : g_module_open(library, G_MODULE_BIND_LAZY | G_MODULE_BIND_LOCAL);
    for (size_t i = 0; module && good && i < count; ++i)
        good = g_module_symbol(module, functions[i].name, functions[i].to);
    good = good && *functions[count - 1].to;
    g_mutex_unlock(&mutex);
    return good;
}
