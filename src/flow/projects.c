#include "flow/projects.h"

#include "host/files.h"
#include "host/json_file.h"
#include "host/model_files.h"

#include <jansson.h>
#include <string.h>

static char *projects_file(const struct ta_context *context) {
    return g_build_filename(context->home, "projects.json", NULL);
}

static json_t *read_projects(const struct ta_context *context) {
    g_autofree char *file = projects_file(context);
    json_t *all = json_load_file(file, 0, NULL), *there = json_array();
    for (size_t i = 0; i < json_array_size(all); ++i) {
        const char *folder = json_string_value(json_array_get(all, i));
        g_autofree char *setup = folder ? g_build_filename(folder, "setup.yaml", NULL) : NULL;
        if (setup && g_file_test(setup, G_FILE_TEST_IS_REGULAR))
            json_array_append(there, json_array_get(all, i));
    }
    json_decref(all);
    return there;
}

enum ta_status project_note(const struct ta_context *context, const char *folder, struct ta_problem *why) {
    g_autofree char *file = projects_file(context);
    json_t *all = read_projects(context);
    for (size_t i = json_array_size(all); i-- > 0;)
        if (!strcmp(json_string_value(json_array_get(all, i)), folder))
            json_array_remove(all, i);
    json_array_append_new(all, json_string(folder));
    enum ta_status status = folder_make(context->home, why);
    if (!status)
        status = json_file_write(file, all, false, why);
    json_decref(all);
    return status;
}

bool projects_last(const struct ta_context *context, const char *folder, struct arena *arena, struct setup *setup) {
    json_t *all = read_projects(context);
    bool found = false;
    for (size_t i = json_array_size(all); i-- > 0 && !found;) {
        const char *other = json_string_value(json_array_get(all, i));
        g_autofree char *file = g_build_filename(other, "setup.yaml", NULL);
        found = strcmp(other, folder) && !setup_read(file, file, arena, setup, NULL);
    }
    json_decref(all);
    return found;
}

static bool is_used(const struct setup *setup, const struct package *package) {
    if (!strcmp(package->kind, "sdk"))
        return !strcmp(setup->sdk, package->package) && !strcmp(setup->sdk_version, package->version);
    const char *component =
        !strcmp(package->kind, "component") ? needs_range(&setup->components, package->package) : NULL;
    return component && !strcmp(component, package->version);
}

GPtrArray *projects_using(const struct ta_context *context, const struct package *package) {
    GPtrArray *using = g_ptr_array_new_with_free_func(g_free);
    json_t *all = read_projects(context);
    for (size_t i = 0; i < json_array_size(all); ++i) {
        const char *folder = json_string_value(json_array_get(all, i));
        g_autofree char *file = g_build_filename(folder, "setup.yaml", NULL);
        struct arena *arena = arena_new();
        struct setup setup;
        if (arena && !setup_read(file, file, arena, &setup, NULL) && is_used(&setup, package))
            g_ptr_array_add(using, g_strdup(folder));
        arena_free(arena);
    }
    json_decref(all);
    return using;
}
