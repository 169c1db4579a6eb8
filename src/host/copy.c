#include "host/copy.h"

#include "host/inside.h"

#include <fcntl.h>
#include <glib.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

struct copy {
    const char *root;
    const char *const *skip;
    const struct file_watch *watch;
    unsigned files;
    uint64_t bytes, most_bytes;
    struct ta_problem *why;
};

static enum ta_status copy_entry(struct copy *copy, const char *from, const char *to);

/* What the kernel cannot copy by itself is read and written. */
static enum ta_status copy_open(struct copy *copy, int in, int out, const char *from, const char *to) {
    static const size_t block = 1 << 16;
    ssize_t length;
    do
        length = copy_file_range(in, NULL, out, NULL, 64 << 20, 0);
    while (length > 0 && !file_watch_cancelled(copy->watch));
    if (length == 0)
        return TA_OK;
    g_autofree char *buffer = g_malloc(block);
    while (!file_watch_cancelled(copy->watch) && (length = read(in, buffer, block)) > 0)
        if (!file_write_all(out, buffer, (size_t)length))
            return file_failed(copy->why, "write", to);
    if (file_watch_cancelled(copy->watch))
        return ta_problem_set(copy->why, TA_E_INTERRUPTED, NULL, "interrupted");
    return length < 0 ? file_failed(copy->why, "read", from) : TA_OK;
}

static enum ta_status copy_bytes(struct copy *copy, const char *from, const char *to, const struct stat *about) {
    int in;
    enum ta_status opened = file_open(from, &in, copy->why);
    if (opened)
        return opened;
    int out = open(to, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, about->st_mode & 0777);
    enum ta_status status = out < 0 ? file_failed(copy->why, "write", to) : copy_open(copy, in, out, from, to);
    close(in);
    if (out >= 0)
        file_set_time(out, about->st_mtime);
    if (out >= 0 && close(out) && !status)
        status = file_failed(copy->why, "write", to);
    ++copy->files;
    return status;
}

/* Where it leads is checked when all is there: links may lead through one another. */
static enum ta_status copy_link(struct copy *copy, const char *from, const char *to) {
    g_autofree char *target = g_file_read_link(from, NULL);
    if (!target)
        return file_failed(copy->why, "read the link", from);
    return symlink(target, to) ? file_failed(copy->why, "make the link", to) : TA_OK;
}

static enum ta_status copy_below(struct copy *copy, const char *from, const char *to) {
    g_autoptr(GDir) folder = g_dir_open(from, 0, NULL);
    enum ta_status status = TA_OK;
    if (!folder)
        return file_failed(copy->why, "read the folder", from);
    if (mkdir(to, 0777))
        return file_failed(copy->why, "make the folder", to);
    for (const char *name; !status && (name = g_dir_read_name(folder));) {
        if (copy->skip && !strcmp(from, copy->root) && g_strv_contains(copy->skip, name))
            continue;
        g_autofree char *entry = g_build_filename(from, name, NULL);
        g_autofree char *copied = g_build_filename(to, name, NULL);
        status = copy_entry(copy, entry, copied);
    }
    return status;
}

static enum ta_status copy_entry(struct copy *copy, const char *from, const char *to) {
    struct stat about;
    if (file_watch_cancelled(copy->watch))
        return ta_problem_set(copy->why, TA_E_INTERRUPTED, NULL, "interrupted");
    if (lstat(from, &about))
        return file_failed(copy->why, "read", from);
    if (S_ISDIR(about.st_mode))
        return copy_below(copy, from, to);
    if (S_ISLNK(about.st_mode))
        return copy_link(copy, from, to);
    if ((uint64_t)about.st_size > copy->most_bytes - copy->bytes)
        return ta_problem_set(copy->why, TA_E_INPUT,
                              "take out what it does not need; preferences.yaml can allow more: archive-size",
                              "%s holds more than %.1f GiB: %s is one file too many", copy->root,
                              (double)copy->most_bytes / (1 << 30), from);
    copy->bytes += (uint64_t)about.st_size;
    file_watch_progress(copy->watch, copy->bytes, 0);
    if (S_ISREG(about.st_mode))
        return copy_bytes(copy, from, to, &about);
    return ta_problem_set(copy->why, TA_E_INPUT, "remove it from the folder", "%s is neither a file nor a folder",
                          from);
}

enum ta_status folder_copy(const char *from, const char *to, const char *const *skip, uint64_t most_bytes,
                           const struct file_watch *watch, unsigned *files, struct ta_problem *why) {
    g_autofree char *root = g_canonicalize_filename(from, NULL);
    struct copy copy = {.root = root, .skip = skip, .watch = watch, .most_bytes = most_bytes, .why = why};
    enum ta_status status = copy_entry(&copy, root, to);
    if (!status)
        status = inside_check(to, from, why);
    if (status)
        folder_remove(to);
    *files = copy.files;
    return status;
}
