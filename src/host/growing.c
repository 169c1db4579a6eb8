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

/* The mark in the open folder TOP, locked; -1 when there is none, or its owner lives. */
static int take_mark(int top, bool make) {
    struct stat about, linked;
    int flags = O_RDWR | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK | (make ? O_CREAT | O_EXCL : 0);
    int mark = openat(top, mark_name, flags, 0600);
    if (mark < 0)
        return -1;
    if (!flock(mark, LOCK_EX | LOCK_NB) && !fstat(mark, &about) && S_ISREG(about.st_mode) &&
        !fstatat(top, mark_name, &linked, AT_SYMLINK_NOFOLLOW) && about.st_ino == linked.st_ino)
        return mark;
    close(mark);
    return -1;
}

/* FOLDER itself, never what a link leads to, and only one of ours; -1 for all else. */
static int open_folder(const char *folder) {
    struct stat about;
    int top = open(folder, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (top < 0 || (!fstat(top, &about) && about.st_uid == geteuid()))
        return top;
    close(top);
    return -1;
}

/* Takes away what the open folder TOP holds beside the mark; with LOOK, only tells whether there is anything. The mark goes
   last: one who is killed here too leaves what the next can tell to be ours. */
static bool empty(int top, bool look) {
    g_autofree char *itself = g_strdup_printf("/proc/self/fd/%d", top);
    g_autoptr(GDir) entries = g_dir_open(itself, 0, NULL);
    bool found = false;
    for (const char *name; entries && (name = g_dir_read_name(entries));) {
        g_autofree char *path = g_build_filename(itself, name, NULL);
        if (!strcmp(name, mark_name))
            continue;
        found = true;
        if (!look)
            folder_remove(path);
    }
    return found;
}

/* A mark without its text is of one who had not begun yet: nothing is beside it. */
static bool is_ours(int top, int mark) {
    char text[sizeof mark_text];
    ssize_t length = pread(mark, text, sizeof text, 0);
    return length ? length == sizeof mark_text - 1 && !memcmp(text, mark_text, sizeof mark_text - 1)
                  : !empty(top, true);
}

/* One without a mark was left between its making and its mark; whoever is there now begins again. */
static void sweep(const char *above) {
    g_autoptr(GDir) entries = g_dir_open(above, 0, NULL);
    for (const char *name; entries && (name = g_dir_read_name(entries));) {
        g_autofree char *folder = g_build_filename(above, name, NULL);
        int top = g_str_has_prefix(name, prefix) && g_rmdir(folder) ? open_folder(folder) : -1;
        int mark = top >= 0 ? take_mark(top, false) : -1;
        if (mark >= 0 && is_ours(top, mark)) {
            empty(top, false);
            unlinkat(top, mark_name, 0);
            g_rmdir(folder);
        }
        if (mark >= 0)
            close(mark);
        if (top >= 0)
            close(top);
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
        int top = g_mkdtemp_full(growing->folder, 0777) ? open_folder(growing->folder) : -1;
        if (top < 0 && errno != ENOENT)
            break;
        growing->mark = top >= 0 ? take_mark(top, true) : -1;
        if (top >= 0)
            close(top);
    }
    if (growing->mark >= 0 && write(growing->mark, mark_text, sizeof mark_text - 1) == sizeof mark_text - 1) {
        growing->content = g_build_filename(growing->folder, "content", NULL);
        return TA_OK;
    }
    status = ta_problem_set(why, TA_E_SYSTEM, "free some space, or choose a folder that you may write to",
                            "cannot make a folder in %s: %s", above, g_strerror(errno));
    growing_end(growing);
    return status;
}

void growing_end(struct growing *growing) {
    int top = growing->folder ? open_folder(growing->folder) : -1;
    if (top >= 0) {
        empty(top, false);
        close(top);
        folder_remove(growing->folder);
    }
    if (growing->folder && growing->mark >= 0)
        close(growing->mark);
    g_free(growing->folder);
    g_free(growing->content);
    *growing = (struct growing){.mark = -1};
}
