#include "host/growing.h"

#include "host/files.h"

#include <errno.h>
#include <fcntl.h>
#include <glib.h>
#include <glib/gstdio.h>
#include <stdbool.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

static const char prefix[] = ".tanchor-growing-", mark_name[] = "mark",
                  mark_text[] = "Tame Anchor was making something here.\n";

/* The mark in FOLDER, locked; -1 when there is none, or its owner lives. */
static int take_mark(const char *folder, bool make) {
    g_autofree char *path = g_build_filename(folder, mark_name, NULL);
    struct stat about, linked;
    int mark = open(path, O_RDWR | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK | (make ? O_CREAT | O_EXCL : 0), 0600);
    if (mark < 0)
        return -1;
    if (!flock(mark, LOCK_EX | LOCK_NB) && !fstat(mark, &about) && S_ISREG(about.st_mode) && !lstat(path, &linked) &&
        about.st_ino == linked.st_ino)
        return mark;
    close(mark);
    return -1;
}

static bool is_marked(int mark) {
    char text[sizeof mark_text];
    ssize_t length = pread(mark, text, sizeof text, 0);
    return !length || (length == sizeof mark_text - 1 && !memcmp(text, mark_text, sizeof mark_text - 1));
}

/* The mark goes last: one who is killed here too leaves what the next can tell to be ours. */
static void remove_marked(const char *folder) {
    g_autoptr(GDir) entries = g_dir_open(folder, 0, NULL);
    for (const char *name; entries && (name = g_dir_read_name(entries));) {
        g_autofree char *path = g_build_filename(folder, name, NULL);
        if (strcmp(name, mark_name))
            folder_remove(path);
    }
    folder_remove(folder);
}

/* An empty one was left between its making and its mark; whoever is there now begins again. */
static void sweep(const char *above) {
    g_autoptr(GDir) entries = g_dir_open(above, 0, NULL);
    for (const char *name; entries && (name = g_dir_read_name(entries));) {
        if (!g_str_has_prefix(name, prefix))
            continue;
        g_autofree char *folder = g_build_filename(above, name, NULL);
        int mark = g_rmdir(folder) ? take_mark(folder, false) : -1;
        if (mark < 0)
            continue;
        if (is_marked(mark))
            remove_marked(folder);
        close(mark);
    }
}

enum ta_status growing_begin(const char *above, struct growing *growing, struct ta_problem *why) {
    enum { TRIES = 16 };
    *growing = (struct growing){.mark = -1};
    enum ta_status status = folder_make(above, why);
    if (status)
        return status;
    sweep(above);
    for (int i = 0; i < TRIES && growing->mark < 0; ++i) {
        g_free(growing->folder);
        growing->folder = g_strdup_printf("%s/%sXXXXXX", above, prefix);
        if (!g_mkdtemp_full(growing->folder, 0777))
            break;
        growing->mark = take_mark(growing->folder, true);
    }
    if (growing->mark >= 0 && write(growing->mark, mark_text, sizeof mark_text - 1) == sizeof mark_text - 1) {
        growing->content = g_build_filename(growing->folder, "content", NULL);
        return TA_OK;
    }
    status = ta_problem_set(why, TA_E_SYSTEM, "make room, or choose a folder that you may write to",
                            "cannot make a folder in %s: %s", above, g_strerror(errno));
    growing_end(growing);
    return status;
}

void growing_end(struct growing *growing) {
    if (growing->folder)
        remove_marked(growing->folder);
    if (growing->folder && growing->mark >= 0)
        close(growing->mark);
    g_free(growing->folder);
    g_free(growing->content);
    *growing = (struct growing){.mark = -1};
}
