#include "flow/projects.h"

#include "flow/store.h"
#include "host/model_files.h"

enum ta_status project_note(struct ta_context *context, const char *folder, struct ta_problem *why) {
    struct store *store;
    enum ta_status status = context_store_made(context, &store, why);
    return status ? status
                  : store_run(store, why, "INSERT OR REPLACE INTO project VALUES (?, ?)", "si", folder,
                              (int64_t)g_get_real_time());
}

enum ta_status project_note_in_place(struct ta_context *context, const char *folder, struct ta_problem *why) {
    struct store *store;
    enum ta_status status = context_store_made(context, &store, why);
    return status ? status : store_run(store, why, "INSERT OR REPLACE INTO in_place VALUES (?)", "s", folder);
}

static bool note_row(void *with, const struct store_row *row) {
    (void)row;
    *(bool *)with = true;
    return false;
}

bool project_is_in_place(struct ta_context *context, const char *folder) {
    struct store *store;
    bool found = false;
    if (!context_store(context, &store, NULL))
        store_each(store, note_row, &found, NULL, "SELECT 1 FROM in_place WHERE folder = ?", "s", folder);
    return found;
}

static bool add_folder(void *with, const struct store_row *row) {
    g_ptr_array_add(with, g_strdup(store_text(row, 0)));
    return true;
}

/* The folders of all that are still there, the last configured one first; those that are gone are passed over. */
static GPtrArray *read_projects(struct ta_context *context) {
    GPtrArray *all = g_ptr_array_new_with_free_func(g_free);
    struct store *store;
    if (!context_store(context, &store, NULL))
        store_each(store, add_folder, all, NULL, "SELECT folder FROM project ORDER BY configured_us DESC", "");
    return all;
}

/* The setup of the project in FOLDER; false when there is none. */
static bool read_setup(struct ta_context *context, const char *folder, struct setup *setup) {
    g_autofree char *file = g_build_filename(folder, "setup.yaml", NULL);
    return g_file_test(file, G_FILE_TEST_IS_REGULAR) && !setup_read(file, file, context->arena, setup, NULL);
}

bool projects_last(struct ta_context *context, const char *folder, struct setup *setup) {
    g_autoptr(GPtrArray) all = read_projects(context);
    for (guint i = 0; i < all->len; ++i)
        if (strcmp(all->pdata[i], folder) && read_setup(context, all->pdata[i], setup))
            return true;
    return false;
}

static bool is_used(const struct setup *setup, const struct package *package) {
    if (package->kind == PACKAGE_SDK)
        return !strcmp(setup->sdk, package->package) && !strcmp(setup->sdk_version, package->version);
    const char *component =
        package->kind == PACKAGE_COMPONENT ? pins_version(&setup->components, package->package) : NULL;
    return component && !strcmp(component, package->version);
}

GPtrArray *projects_using(struct ta_context *context, const struct package *package) {
    GPtrArray *using = g_ptr_array_new_with_free_func(g_free);
    g_autoptr(GPtrArray) all = read_projects(context);
    for (guint i = 0; i < all->len; ++i) {
        struct setup setup;
        if (read_setup(context, all->pdata[i], &setup) && is_used(&setup, package))
            g_ptr_array_add(using, g_strdup(all->pdata[i]));
    }
    return using;
}

GPtrArray *projects_on(struct ta_context *context, const char *target) {
    GPtrArray *on = g_ptr_array_new_with_free_func(g_free);
    g_autoptr(GPtrArray) all = read_projects(context);
    for (guint i = 0; i < all->len; ++i) {
        struct setup setup;
        if (read_setup(context, all->pdata[i], &setup) && !strcmp(setup.target, target))
            g_ptr_array_add(on, g_strdup(all->pdata[i]));
    }
    return on;
}
