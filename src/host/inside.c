#include "host/inside.h"

#include "host/files.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <glib.h>
#include <linux/openat2.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

/* A file that stands for what PATH leads to, below the open folder ROOT; -1 with errno. */
static int open_beneath(int root, const char *path) {
    const struct open_how how = {.flags = O_PATH | O_CLOEXEC, .resolve = RESOLVE_BENEATH | RESOLVE_NO_MAGICLINKS};
    for (;;) {
        long file = syscall(SYS_openat2, root, path, &how, sizeof how);
        if (file >= 0 || errno != EAGAIN) /* somebody moved a folder meanwhile */
            return (int)file;
    }
}

/* For kernels before 5.6, which have no openat2. */
static int open_resolved(const char *root, const char *path) {
    g_autofree char *joined = g_build_filename(root, path, NULL);
    g_autofree char *real_root = realpath(root, NULL), *real = realpath(joined, NULL);
    g_autofree char *inside = real_root ? g_strconcat(real_root, "/", NULL) : NULL;
    if (!real || !real_root)
        return -1;
    if (!g_path_is_absolute(path) && (!strcmp(real, real_root) || g_str_has_prefix(real, inside)))
        return open(real, O_PATH | O_CLOEXEC | O_NOFOLLOW);
    errno = EXDEV;
    return -1;
}

enum inside inside_look(const char *root, const char *path) {
    struct stat about;
    int folder = open(root, O_PATH | O_DIRECTORY | O_CLOEXEC);
    int file = folder >= 0 ? open_beneath(folder, path) : -1;
    if (folder >= 0 && file < 0 && errno == ENOSYS)
        file = open_resolved(root, path);
    int error = errno;
    enum inside answer = file >= 0 && !fstat(file, &about)     ? (S_ISREG(about.st_mode)   ? INSIDE_FILE
                                                                  : S_ISDIR(about.st_mode) ? INSIDE_FOLDER
                                                                                           : INSIDE_OTHER)
                         : error == ENOENT || error == ENOTDIR ? INSIDE_NOTHING
                         : error == EXDEV || error == ELOOP    ? OUTSIDE
                                                               : INSIDE_OTHER;
    if (file >= 0)
        close(file);
    if (folder >= 0)
        close(folder);
    return answer;
}

bool inside_link(const char *root, const char *path) {
    enum inside leads = inside_look(root, path);
    g_autofree char *full = g_build_filename(root, path, NULL), *target = g_file_read_link(full, NULL);
    return leads == INSIDE_FILE || leads == INSIDE_FOLDER ||
           (leads == INSIDE_NOTHING && target && !strstr(target, ".."));
}

enum ta_status inside_check(const char *root, const char *name, struct ta_problem *why) {
    g_auto(GStrv) entries = files_below(root, NULL);
    for (char **entry = entries; *entry; ++entry) {
        g_autofree char *full = g_build_filename(root, *entry, NULL);
        struct stat about;
        if (lstat(full, &about) || S_ISREG(about.st_mode))
            continue;
        if (S_ISLNK(about.st_mode) && !inside_link(root, *entry))
            return ta_problem_set(why, TA_E_INPUT, "replace the link by what it points to",
                                  "%s: %s is a link that leaves the folder", name, *entry);
        if (!S_ISLNK(about.st_mode))
            return ta_problem_set(why, TA_E_INPUT, "remove it from the folder", "%s: %s is neither a file nor a folder",
                                  name, *entry);
    }
    return TA_OK;
}

/* The first entry at or below FOLDER that is neither a folder nor a regular file: folders tell the kinds of their entries, mostly, so that
   a look at each of thousands of files is saved. Null when there is none; freed with g_free. */
static char *find_other(int folder, const char *path) {
    DIR *entries = fdopendir(folder);
    char *other = NULL;
    for (const struct dirent *entry; entries && !other && (entry = readdir(entries));) {
        struct stat about;
        int kind = entry->d_type;
        if (!strcmp(entry->d_name, ".") || !strcmp(entry->d_name, "..") || kind == DT_REG)
            continue;
        g_autofree char *below = g_build_filename(path, entry->d_name, NULL);
        if (kind == DT_UNKNOWN && !lstat(below, &about))
            kind = S_ISREG(about.st_mode) ? DT_REG : S_ISDIR(about.st_mode) ? DT_DIR : DT_LNK;
        int inner =
            kind == DT_DIR ? openat(folder, entry->d_name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC) : -1;
        if (inner >= 0)
            other = find_other(inner, below);
        else if (kind != DT_REG && kind != DT_DIR)
            other = g_steal_pointer(&below);
    }
    if (entries)
        closedir(entries);
    else
        close(folder);
    return other;
}

enum ta_status inside_check_own(const char *root, const char *below, struct ta_problem *why) {
    g_autofree char *path = g_build_filename(root, below, NULL), *other = NULL;
    struct stat about;
    if (lstat(path, &about))
        return TA_OK;
    int folder = open(path, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (folder < 0 && S_ISDIR(about.st_mode))
        return file_failed(why, "read", path);
    if (folder < 0)
        return ta_problem_set(why, TA_E_INPUT, "remove it: the tool makes a new one",
                              "%s is not a folder, or is a link", path);
    other = find_other(folder, path);
    return other ? ta_problem_set(why, TA_E_INPUT, "remove the folder: the tool makes a new one",
                                  "%s is a link, or not a regular file", other)
                 : TA_OK;
}
