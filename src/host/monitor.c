#include "host/monitor.h"

#include "host/late.h"

#include <gio/gio.h>

enum { QUIET_MS = 2, LONGEST_MS = 200 };

/* Events come through a main context of its own, which no other code iterates. */
struct monitor {
    GMainContext *events;
    GHashTable *folders; /* path: its GFileMonitor */
    bool saved;
    bool blind; /* there is no GIO: nobody tells */
};

/* Of GIO, loaded late. */
static struct {
    GFile *(*new_file)(const char *path);
    GFileMonitor *(*watch)(GFile *folder, GFileMonitorFlags flags, GCancellable *cancellable, GError **error);
    gboolean (*is_cancelled)(GFileMonitor *monitor);
    gulong (*connect)(gpointer instance, const char *signal, GCallback handler, gpointer data, GClosureNotify destroy,
                      GConnectFlags flags);
    void (*unref)(gpointer object);
} gio;

static bool load(void) {
    static const struct late_function functions[] = {{"g_file_new_for_path", (void **)&gio.new_file},
                                                     {"g_file_monitor_directory", (void **)&gio.watch},
                                                     {"g_file_monitor_is_cancelled", (void **)&gio.is_cancelled},
                                                     {"g_signal_connect_data", (void **)&gio.connect},
                                                     {"g_object_unref", (void **)&gio.unref}};
    return late_load("libgio-2.0.so.0", functions, G_N_ELEMENTS(functions));
}

static void forget(gpointer watching) {
    gio.unref(watching);
}

/* Editors write a file and close it, or write another one and rename it. A new empty file is not yet what it will be. */
static void hear(GFileMonitor *source, GFile *file, GFile *other, GFileMonitorEvent event, gpointer monitor) {
    (void)source;
    (void)file;
    (void)other;
    if (event != G_FILE_MONITOR_EVENT_CHANGED && event != G_FILE_MONITOR_EVENT_ATTRIBUTE_CHANGED)
        ((struct monitor *)monitor)->saved = true;
}

struct monitor *monitor_new(void) {
    struct monitor *monitor = g_new0(struct monitor, 1);
    monitor->events = g_main_context_new();
    monitor->folders = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, forget);
    return monitor;
}

void monitor_free(struct monitor *monitor) {
    g_hash_table_unref(monitor->folders);
    g_main_context_unref(monitor->events);
    g_free(monitor);
}

void monitor_add(struct monitor *monitor, const char *folder) {
    GFileMonitor *known = g_hash_table_lookup(monitor->folders, folder);
    if (!load()) {
        monitor->blind = true;
        return;
    }
    if (known && !gio.is_cancelled(known) && g_file_test(folder, G_FILE_TEST_IS_DIR))
        return;
    GFile *file = gio.new_file(folder);
    g_main_context_push_thread_default(monitor->events);
    GFileMonitor *added =
        g_file_test(folder, G_FILE_TEST_IS_DIR) ? gio.watch(file, G_FILE_MONITOR_WATCH_MOVES, NULL, NULL) : NULL;
    g_main_context_pop_thread_default(monitor->events);
    gio.unref(file);
    if (!added) {
        g_hash_table_remove(monitor->folders, folder);
        return;
    }
    gio.connect(added, "changed", G_CALLBACK(hear), monitor, NULL, (GConnectFlags)0);
    g_hash_table_replace(monitor->folders, g_strdup(folder), added);
}

static gboolean end_wait(gpointer over) {
    *(bool *)over = true;
    return G_SOURCE_CONTINUE;
}

/* Turns the events until something was saved or TIMEOUT_MS are over. */
static bool turn(struct monitor *monitor, unsigned timeout_ms) {
    bool over = false;
    monitor->saved = false;
    while (g_main_context_iteration(monitor->events, FALSE))
        ;
    if (monitor->saved || !timeout_ms)
        return monitor->saved;
    GSource *limit = g_timeout_source_new(timeout_ms);
    g_source_set_callback(limit, end_wait, &over, NULL);
    g_source_attach(limit, monitor->events);
    while (!monitor->saved && !over)
        g_main_context_iteration(monitor->events, TRUE);
    g_source_destroy(limit);
    g_source_unref(limit);
    return monitor->saved;
}

bool monitor_saved(struct monitor *monitor, unsigned timeout_ms) {
    if (monitor->blind) { /* it may be so: the caller looks */
        g_usleep((gulong)timeout_ms * 1000);
        return true;
    }
    bool saved = turn(monitor, timeout_ms);
    gint64 start_us = g_get_monotonic_time();
    while (saved && turn(monitor, QUIET_MS) && g_get_monotonic_time() - start_us < LONGEST_MS * 1000)
        ;
    return saved;
}
