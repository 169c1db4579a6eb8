#include "host/late.h"

#include <dlfcn.h>
#include <glib.h>

bool late_load(const char *library, const struct late_function *functions, size_t count) {
    static GMutex mutex;
    bool good = true;
    g_mutex_lock(&mutex);
    void *loaded = *functions[count - 1].to ? NULL : dlopen(library, RTLD_LAZY | RTLD_LOCAL);
    for (size_t i = 0; loaded && good && i < count; ++i)
        good = (*functions[i].to = dlsym(loaded, functions[i].name)) != NULL;
    good = good && *functions[count - 1].to;
    g_mutex_unlock(&mutex);
    return good;
}
