/* Any bytes as each of the YAML files. */
#include "base/arena.h"
#include "host/model_files.h"

#include <glib.h>
#include <stdint.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <unistd.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    struct arena *arena = arena_new();
    struct project project;
    struct setup setup;
    struct sdk sdk;
    struct package package;
    struct component component;
    struct platform platform;
    struct preferences preferences;
    struct bench_target target;
    struct ta_profile profile, derived;
    struct ta_problem why;
    int file = memfd_create("file", 0);
    g_autofree char *path = g_strdup_printf("/proc/self/fd/%d", file);
    if (write(file, data, size) != (ssize_t)size)
        abort();
    const enum ta_status answers[] = {project_read(path, "f", arena, &project, &why),
                                      setup_read(path, "f", arena, &setup, &why),
                                      sdk_read(path, "f", arena, &sdk, &why),
                                      package_read(path, "f", arena, &package, &why),
                                      component_read(path, "f", arena, &component, &why),
                                      platform_read(path, "f", arena, &platform, &why),
                                      preferences_read(path, "f", arena, &preferences, &why),
                                      bench_target_read(path, "f", arena, &target, &why),
                                      profile_read_text((const char *)data, size, "f", arena, &profile, &why)};
    derived = profile;
    if (!answers[G_N_ELEMENTS(answers) - 1] && /* over itself it stays what it is */
        profile_overlay((const char *)data, size, "f", true, arena, &derived, &why))
        abort();
    for (size_t i = 0; i < G_N_ELEMENTS(answers); ++i)
        if (ta_status_exit_code(answers[i]) > 1)
            abort(); /* bad input is refused, it does not fail the surroundings */
    arena_free(arena);
    close(file);
    return 0;
}
