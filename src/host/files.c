#include "host/files.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <glib.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* What to do about a failed call, by the system's reason. */
static const char *fix_for(int error) {
    switch (error) {
    case ENOSPC:
    case EDQUOT:
    case EFBIG: return "free some space, then run it again";
    case EACCES:
    case EPERM:
    case EROFS: return "choose a folder that you may write to, or change its permissions";
    case ENOENT: return "check the path";
    case EISDIR: return "move the folder away that is in its place, then run it again";
    default: return NULL;
    }
}

enum ta_status file_failed(struct ta_problem *why, const char *what, const char *path) {
    int error = errno;
    return ta_problem_set(why, TA_E_SYSTEM, fix_for(error), "cannot %s %s: %s", what, path, g_strerror(error));
}

enum ta_status file_open(const char *path, int *file, struct ta_problem *why) {
    struct stat about;
    *file = open(path, O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY); /* the open of a pipe would wait for a writer */
    if (*file < 0) {
        bool missing = errno == ENOENT;
        return file_failed(why, "read", path) && missing ? TA_E_INPUT : TA_E_SYSTEM;
    }
    if (!fstat(*file, &about) && S_ISREG(about.st_mode))
        return TA_OK;
    close(*file);
    *file = -1;
    return ta_problem_set(why, TA_E_INPUT, "name a file", "%s is %s", path,
                          S_ISDIR(about.st_mode) ? "a folder" : "not a regular file");
}

/* Up to ROOM bytes; -1 with errno. */
static ssize_t read_all(int file, char *bytes, size_t room) {
    size_t length = 0;
    ssize_t got = 1;
    while (length < room && got) {
        got = read(file, bytes + length, room - length);
        if (got < 0 && errno != EINTR)
            return -1;
        length += got > 0 ? (size_t)got : 0;
    }
    return (ssize_t)length;
}

enum ta_status file_read(const char *path, size_t limit, char **bytes, size_t *length, struct ta_problem *why) {
    struct stat about;
    int file;
    *bytes = NULL;
    enum ta_status status = file_open(path, &file, why);
    if (status)
        return status;
    if (fstat(file, &about) || (uint64_t)about.st_size > limit) {
        close(file);
        return ta_problem_set(why, TA_E_INPUT, "make it smaller", "%s is larger than %zu MiB", path, limit >> 20);
    }
    size_t room = (size_t)about.st_size;
    g_autofree char *read_bytes = g_malloc(room + 1);
    ssize_t got = read_all(file, read_bytes, room);
    if (got < 0)
        status = file_failed(why, "read", path);
    close(file);
    if (status)
        return status;
    read_bytes[got] = '\0';
    *length = (size_t)got;
    *bytes = g_steal_pointer(&read_bytes);
    return TA_OK;
}

size_t file_head(const char *path, char *head, size_t size) {
    struct stat about;
    int file;
    if (lstat(path, &about) || !S_ISREG(about.st_mode) || file_open(path, &file, NULL))
        return 0;
    ssize_t length = read_all(file, head, size);
    close(file);
    return length > 0 ? (size_t)length : 0;
}

bool file_write_all(int file, const char *bytes, size_t length) {
    while (length) {
        ssize_t written = write(file, bytes, length);
        if (written < 0 && errno == EINTR)
            continue;
        if (written <= 0)
            return false;
        bytes += written;
        length -= (size_t)written;
    }
    return true;
}

/* Where one file is renamed over another, some file systems write its bytes to the disk first, which takes longer than all the rest. So the
   two change places, and the old one goes. */
bool file_place(const char *part, const char *path) {
    if (renameat2(AT_FDCWD, part, AT_FDCWD, path, RENAME_EXCHANGE)) /* nothing is there, or it cannot do that */
        return !rename(part, path);
    if (!unlink(part))
        return true;
    int error = errno; /* a folder is there */
    renameat2(AT_FDCWD, part, AT_FDCWD, path, RENAME_EXCHANGE);
    errno = error;
    return false;
}

static bool file_replace(const char *part, const char *path) {
    return !rename(part, path);
}

/* The new file has no name while it is written, where the file system can do that: nothing stays behind when this process
   is killed. Its name then is the same for everybody, so that one that stays behind all the same goes the next time. */
static enum ta_status write_with_mode(const char *path, const void *bytes, size_t length, mode_t mode,
                                      bool (*place)(const char *part, const char *path), struct ta_problem *why) {
    g_autofree char *part = g_strconcat(path, ".part", NULL), *folder = g_path_get_dirname(path);
    int file = open(folder, O_WRONLY | O_TMPFILE | O_CLOEXEC, mode);
    bool nameless = file >= 0;
    unlink(part);
    if (!nameless)
        file = open(part, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, mode);
    g_autofree char *itself = g_strdup_printf("/proc/self/fd/%d", file);
    bool good = file >= 0 && file_write_all(file, bytes, length);
    while (good && nameless && linkat(AT_FDCWD, itself, AT_FDCWD, part, AT_SYMLINK_FOLLOW)) {
        good = errno == EEXIST;
        unlink(part); /* another process writes the same file */
    }
    int error = errno;
    if (file >= 0 && close(file) && good) {
        good = false;
        error = errno;
    }
    if (good && (place(part, path) || (nameless && errno == ENOENT)))
        return TA_OK; /* without its name, another process has just put its own there */
    errno = good ? errno : error;
    enum ta_status status = file_failed(why, "write", path);
    unlink(part);
    return status;
}

enum ta_status file_write(const char *path, const void *bytes, size_t length, struct ta_problem *why) {
    return write_with_mode(path, bytes, length, 0666, file_replace, why);
}

enum ta_status file_write_output(const char *path, const void *bytes, size_t length, struct ta_problem *why) {
    return write_with_mode(path, bytes, length, 0666, file_place, why);
}

enum ta_status file_write_private(const char *path, const void *bytes, size_t length, struct ta_problem *why) {
    return write_with_mode(path, bytes, length, 0600, file_replace, why);
}

char *file_to_replace(const char *path) {
    enum { LINKS = 40 };
    g_autofree char *at = g_canonicalize_filename(path, NULL);
    struct stat about;
    for (unsigned links = 0; links < LINKS; ++links) {
        if (g_str_has_prefix(at, "/dev/fd/") || g_str_has_prefix(at, "/dev/std") || g_str_has_prefix(at, "/proc/"))
            return NULL; /* another name of what is open already */
        if (lstat(at, &about))
            return g_steal_pointer(&at);
        if (!S_ISLNK(about.st_mode))
            return S_ISREG(about.st_mode) || S_ISDIR(about.st_mode) ? g_steal_pointer(&at) : NULL;
        g_autofree char *to = g_file_read_link(at, NULL), *folder = g_path_get_dirname(at);
        g_autofree char *real = realpath(folder, NULL);
        g_free(at);
        at = g_canonicalize_filename(to ? to : "", real ? real : folder);
    }
    return g_strdup(path); /* a circle, which the write complains of */
}

/* A pipe that nobody reads is not waited for. */
enum ta_status file_open_to_write(const char *path, int *file, struct ta_problem *why) {
    *file = open(path, O_WRONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY);
    if (*file < 0 && errno == ENXIO)
        return ta_problem_set(why, TA_E_INPUT, "start its reader first", "%s has no reader", path);
    return *file < 0 || fcntl(*file, F_SETFL, 0) ? file_failed(why, "write", path) : TA_OK;
}

enum ta_status file_write_named(const char *path, const void *bytes, size_t length, struct ta_problem *why) {
    g_autofree char *plain = file_to_replace(path);
    int file;
    enum ta_status status = plain ? file_write(plain, bytes, length, why) : file_open_to_write(path, &file, why);
    if (plain || status)
        return status;
    if (!file_write_all(file, bytes, length))
        status = file_failed(why, "write", path);
    if (close(file) && !status)
        status = file_failed(why, "write", path);
    return status;
}

uint64_t file_size(const char *path) {
    struct stat about;
    return lstat(path, &about) || !S_ISREG(about.st_mode) ? 0 : (uint64_t)about.st_size;
}

enum ta_status file_write_changed(const char *path, const void *bytes, size_t length, struct ta_problem *why) {
    g_autofree char *old = NULL;
    gsize old_length;
    if (g_file_get_contents(path, &old, &old_length, NULL) && old_length == length && !memcmp(old, bytes, length))
        return TA_OK;
    return file_write(path, bytes, length, why);
}

enum ta_status folder_make(const char *path, struct ta_problem *why) {
    if (!g_mkdir_with_parents(path, 0777))
        return TA_OK;
    return file_failed(why, "make the folder", path);
}

enum ta_status folder_make_private(const char *path, struct ta_problem *why) {
    enum ta_status status = folder_make(path, why);
    return !status && g_chmod(path, 0700) ? file_failed(why, "make private", path) : status;
}

bool folder_is_empty(const char *path) {
    g_autoptr(GDir) folder = g_dir_open(path, 0, NULL);
    return folder && !g_dir_read_name(folder);
}

/* Takes away all in the open folder ABOVE/NAME, and it. Folders in it move up into ABOVE first, under names of their own, so
   that no path grows with the depth. True when something moved. */
static bool remove_level(int above, const char *name, unsigned *number) {
    int file = openat(above, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    DIR *folder = file >= 0 && !fchmod(file, 0700) ? fdopendir(file) : NULL;
    bool moved = false;
    for (const struct dirent *entry; folder && (entry = readdir(folder));) {
        char higher[32];
        if (!strcmp(entry->d_name, ".") || !strcmp(entry->d_name, "..") || !unlinkat(file, entry->d_name, 0))
            continue;
        int failed;
        do {
            snprintf(higher, sizeof higher, ".gone-%u", ++*number);
            failed = renameat2(file, entry->d_name, above, higher, RENAME_NOREPLACE);
        } while (failed && errno == EEXIST);
        moved = moved || !failed;
    }
    if (folder)
        closedir(folder);
    else if (file >= 0)
        close(file);
    unlinkat(above, name, AT_REMOVEDIR);
    return moved;
}

void folder_remove(const char *path) {
    unsigned number = 0;
    if (!unlink(path) || errno == ENOENT)
        return; /* a file, or a link: never what it leads to */
    int top = open(path, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    for (bool more = top >= 0; more;) {
        DIR *folder = fdopendir(openat(top, ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC));
        more = false;
        for (const struct dirent *entry; folder && (entry = readdir(folder));)
            if (strcmp(entry->d_name, ".") && strcmp(entry->d_name, "..") && unlinkat(top, entry->d_name, 0))
                more = remove_level(top, entry->d_name, &number) || more;
        if (folder)
            closedir(folder);
    }
    if (top >= 0)
        close(top);
    rmdir(path);
}

bool file_watch_cancelled(const struct file_watch *watch) {
    return watch && watch->cancelled && watch->cancelled(watch->cancelled_with);
}

void file_watch_progress(const struct file_watch *watch, uint64_t done, uint64_t total) {
    if (watch && watch->progress)
        watch->progress(watch->progress_with, done, total);
}

/* Patterns. */

static int compare_paths(const void *a, const void *b) {
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

/* The next entry of a folder that is open (may be null) but "." and ".."; null at the end. */
static const struct dirent *next_entry(DIR *entries) {
    const struct dirent *entry;
    while (entries && (entry = readdir(entries)))
        if (strcmp(entry->d_name, ".") && strcmp(entry->d_name, ".."))
            return entry;
    return NULL;
}

/* Whether the entry of KIND at BELOW in FOLDER is a folder, or, with LINKS, leads to one. Folders tell the kinds of their entries, mostly:
   that saves a look at each of thousands. */
static bool is_folder_entry(unsigned char kind, const char *folder, const char *below, bool links) {
    struct stat about;
    if (kind != DT_UNKNOWN && (kind != DT_LNK || !links))
        return kind == DT_DIR;
    g_autofree char *path = g_build_filename(folder, below, NULL);
    return !(links ? stat(path, &about) : lstat(path, &about)) && S_ISDIR(about.st_mode);
}

/* A path that was matched, behind whether it is surely a regular file. */
static char *match_new(bool regular, const char *path) {
    return g_strconcat(regular ? "f" : "?", path, NULL);
}

/* A search: in FOLDER, for what ELEMENTS say one below the other. */
struct search {
    const char *folder;
    GPtrArray *found;
};

static void match_below(const struct search *search, const char *below, char **elements);

/* NAME of the folder BELOW matches the first of ELEMENTS. */
static void match_entry(const struct search *search, const char *below, const char *name, unsigned char kind,
                        char **elements) {
    bool last = !elements[1];
    g_autofree char *next = *below ? g_strconcat(below, "/", name, NULL) : g_strdup(name);
    bool is_folder = is_folder_entry(kind, search->folder, next, true);
    if (last && !is_folder)
        g_ptr_array_add(search->found, match_new(kind == DT_REG, next));
    else if (!last && is_folder)
        match_below(search, next, elements + 1);
}

/* A folder is read for patterns only: a plain name is there or not. */
static void match_below(const struct search *search, const char *below, char **elements) {
    const char *wanted = elements[0];
    g_autofree char *path = g_build_filename(search->folder, below, NULL), *named = NULL;
    struct stat about;
    if (!strpbrk(wanted, "*?")) {
        named = g_build_filename(path, wanted, NULL);
        if (*wanted && strcmp(wanted, ".") && strcmp(wanted, "..") && !lstat(named, &about))
            match_entry(search, below, wanted, IFTODT(about.st_mode), elements);
        return;
    }
    DIR *entries = opendir(path);
    for (const struct dirent *entry; (entry = next_entry(entries));)
        if ((entry->d_name[0] != '.' || wanted[0] == '.') && g_pattern_match_simple(wanted, entry->d_name))
            match_entry(search, below, entry->d_name, entry->d_type, elements);
    if (entries)
        closedir(entries);
}

/* Matches sort by their paths. */
static int compare_matches(const void *a, const void *b) {
    return strcmp(*(char *const *)a + 1, *(char *const *)b + 1);
}

char **files_match_kinds(const char *folder, const char *pattern, bool **regular) {
    GPtrArray *found = g_ptr_array_new();
    if (strpbrk(pattern, "*?")) {
        g_auto(GStrv) elements = g_strsplit(pattern, "/", -1);
        match_below(&(struct search){folder, found}, "", elements);
        if (found->len)
            qsort(found->pdata, found->len, sizeof *found->pdata, compare_matches);
    } else {
        g_ptr_array_add(found, match_new(false, pattern));
    }
    *regular = g_new0(bool, found->len + 1);
    for (guint i = 0; i < found->len; ++i) {
        char *match = found->pdata[i];
        (*regular)[i] = *match == 'f';
        memmove(match, match + 1, strlen(match));
    }
    g_ptr_array_add(found, NULL);
    return (char **)g_ptr_array_free(found, FALSE);
}

char **files_match(const char *folder, const char *pattern) {
    g_autofree bool *regular = NULL;
    return files_match_kinds(folder, pattern, &regular);
}

static void list_below(const char *folder, const char *below, const char *const *skip, GPtrArray *found) {
    g_autofree char *path = g_build_filename(folder, below, NULL);
    DIR *entries = opendir(path);
    for (const struct dirent *entry; (entry = next_entry(entries));) {
        const char *name = entry->d_name;
        if (!*below && skip && g_strv_contains(skip, name))
            continue;
        char *next = *below ? g_strconcat(below, "/", name, NULL) : g_strdup(name);
        if (is_folder_entry(entry->d_type, folder, next, false)) {
            list_below(folder, next, skip, found);
            g_free(next);
        } else {
            g_ptr_array_add(found, next);
        }
    }
    if (entries)
        closedir(entries);
}

char **files_below(const char *folder, const char *const *skip) {
    GPtrArray *found = g_ptr_array_new();
    list_below(folder, "", skip, found);
    if (found->len)
        qsort(found->pdata, found->len, sizeof *found->pdata, compare_paths);
    g_ptr_array_add(found, NULL);
    return (char **)g_ptr_array_free(found, FALSE);
}

char **files_names(const char *folder, const char *pattern) {
    char **names = files_match(folder, pattern);
    size_t before = strcspn(pattern, "*"), around = strlen(pattern) - 1;
    for (char **name = names; *name; ++name) {
        size_t length = strlen(*name) - around;
        memmove(*name, *name + before, length);
        (*name)[length] = '\0';
    }
    return names;
}

/* Digests. */

void bytes_sha256(const void *bytes, size_t length, char text[SHA256_TEXT_BYTES]) {
    g_autofree char *digest = g_compute_checksum_for_data(G_CHECKSUM_SHA256, bytes, length);
    g_strlcpy(text, digest, SHA256_TEXT_BYTES);
}

/* Read, and not mapped: who cuts a mapped file short ends the process that looks at it. */
static enum ta_status digest_open_file(int file, const char *path, const struct file_watch *watch, GChecksum *sum,
                                       struct ta_problem *why) {
    enum { PIECE_BYTES = 256 << 10 };
    const uint64_t most = (uint64_t)FILE_MOST_GIB << 30;
    g_autofree char *piece = g_malloc(PIECE_BYTES);
    struct stat about;
    uint64_t done = fstat(file, &about) || (uint64_t)about.st_size <= most ? 0 : most;
    for (ssize_t length; (length = read_all(file, piece, PIECE_BYTES));) {
        if (length < 0)
            return file_failed(why, "read", path);
        if (file_watch_cancelled(watch))
            return ta_problem_set(why, TA_E_INTERRUPTED, NULL, "interrupted");
        done += (uint64_t)length;
        if (done > most) /* sparse, or it grows while it is read */
            return ta_problem_set(why, TA_E_INPUT, "make it smaller", "%s is larger than %d GiB", path, FILE_MOST_GIB);
        g_checksum_update(sum, (const guchar *)piece, length);
    }
    return TA_OK;
}

enum ta_status file_sha256(const char *path, const struct file_watch *watch, char text[SHA256_TEXT_BYTES],
                           struct ta_problem *why) {
    g_autoptr(GChecksum) sum = g_checksum_new(G_CHECKSUM_SHA256);
    int file;
    enum ta_status status = file_open(path, &file, why);
    if (status)
        return status;
    status = digest_open_file(file, path, watch, sum, why);
    g_strlcpy(text, status ? "" : g_checksum_get_string(sum), SHA256_TEXT_BYTES);
    close(file);
    return status;
}

void file_set_time(int file, int64_t time_s) {
    const struct timespec times[] = {{.tv_nsec = UTIME_OMIT}, {.tv_sec = time_s}};
    if (time_s > 0 && time_s <= (int64_t)time(NULL))
        futimens(file, times);
}

bool file_link(const char *to, const char *path) {
    g_autofree char *part = g_strconcat(path, ".part", NULL);
    unlink(part);
    bool good = !symlink(to, part) && !rename(part, path);
    if (!good)
        unlink(part);
    return good;
}

bool file_saved_since(const char *path, const struct timespec *start) {
    struct stat about;
    return stat(path, &about) || about.st_ctim.tv_sec > start->tv_sec ||
           (about.st_ctim.tv_sec == start->tv_sec && about.st_ctim.tv_nsec >= start->tv_nsec);
}
