#include "host/archive.h"

#include "host/archive_library.h"

#include "base/text.h"
#include "host/files.h"
#include "host/inside.h"

#include <errno.h>
#include <fcntl.h>
#include <glib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

const struct archive_limits archive_limits_default = {.bytes = UINT64_C(4) << 30, .files = 100000, .ratio = 200};

enum { BLOCK_BYTES = 1 << 16, NAME_BYTES = 1024, DEPTH = 32 };

struct unpack {
    const char *path, *to;
    const struct archive_limits *limits;
    struct archive *archive;
    uint64_t archive_bytes, bytes;
    long listed, entries; /* by its own list, and as they came */
    unsigned files;
    GHashTable *seen;    /* names as they would clash on any system: folded; the value is the entry's own name */
    GHashTable *folders; /* made already */
    GPtrArray *links;    /* pairs of name and target, made last: nothing is ever written through a link */
    struct ta_problem *why;
};

static const char *const endings[] = {".zip", ".tar", ".tar.gz", ".tgz", ".tar.xz", ".tar.zst"};

bool archive_is_named(const char *path) {
    for (size_t i = 0; i < G_N_ELEMENTS(endings); ++i)
        if (g_str_has_suffix(path, endings[i]))
            return true;
    return false;
}

static enum ta_status refuse(struct unpack *unpack, const char *entry, const char *what) {
    return ta_problem_set(unpack->why, TA_E_INPUT, "ask its author for another archive; nothing was unpacked",
                          "%s: the entry \"%.200s\" %s", unpack->path, entry, what);
}

/* Why NAME cannot be a path below the folder, or null. */
static const char *bad_name(const char *name) {
    if (!*name)
        return "has no name";
    if (strlen(name) > NAME_BYTES)
        return "has a name that is too long";
    if (!text_is_utf8(name, strlen(name)))
        return "has a name that is not UTF-8";
    if (name[0] == '/' || name[0] == '\\' || (g_ascii_isalpha(name[0]) && name[1] == ':'))
        return "has an absolute path";
    if (strchr(name, '\\'))
        return "has a backslash in its name";
    g_auto(GStrv) elements = g_strsplit(name, "/", -1);
    size_t depth = 0;
    for (char **element = elements; *element; ++element, ++depth) {
        if (!strcmp(*element, ".."))
            return "leaves the folder";
        for (const char *at = *element; *at; ++at)
            if ((unsigned char)*at < ' ')
                return "has a control character in its name";
        if (strlen(*element) > 255)
            return "has a name that is too long";
    }
    return depth > DEPTH ? "is nested too deeply" : NULL;
}

/* NAME without "./" and doubled or trailing slashes. */
static char *plain_name(const char *name) {
    g_auto(GStrv) elements = g_strsplit(name, "/", -1);
    g_autoptr(GString) plain = g_string_new(NULL);
    for (char **element = elements; *element; ++element)
        if (**element && strcmp(*element, "."))
            g_string_append_printf(plain, "%s%s", plain->len ? "/" : "", *element);
    return g_strdup(plain->str);
}

/* Notes NAME and the folders above it; a clash is refused. Folders may come again. */
static enum ta_status note_name(struct unpack *unpack, const char *name, bool folder) {
    for (const char *slash = strchr(name, '/'); slash; slash = strchr(slash + 1, '/')) {
        g_autofree char *above = g_strndup(name, (gsize)(slash - name));
        enum ta_status status = g_hash_table_contains(unpack->folders, above) ? TA_OK : note_name(unpack, above, true);
        if (status)
            return status;
    }
    g_autofree char *normal = g_utf8_normalize(name, -1, G_NORMALIZE_ALL_COMPOSE);
    char *folded = g_utf8_casefold(normal ? normal : name, -1);
    const char *known = g_hash_table_lookup(unpack->seen, folded);
    bool again = known && folder && !strcmp(known, name) && g_hash_table_contains(unpack->folders, name);
    enum ta_status status = TA_OK;
    if (known && !again)
        status = refuse(unpack, name, strcmp(known, name) ? "differs from another by case alone" : "appears twice");
    if (status || again) {
        g_free(folded);
        return status;
    }
    g_hash_table_insert(unpack->seen, folded, g_strdup(name));
    if (folder) {
        g_autofree char *path = g_build_filename(unpack->to, name, NULL);
        g_hash_table_add(unpack->folders, g_strdup(name));
        status = folder_make(path, unpack->why);
    }
    return status;
}

static enum ta_status check_amount(struct unpack *unpack, const char *name) {
    if (unpack->bytes > unpack->limits->bytes)
        return refuse(unpack, name, "makes it larger than is allowed");
    if (unpack->bytes > UINT64_C(1) << 20 && unpack->bytes / (unpack->archive_bytes + 1) > unpack->limits->ratio)
        return refuse(unpack, name, "unpacks to far more than the archive holds");
    return TA_OK;
}

static enum ta_status disk_failed(struct unpack *unpack, const char *path) {
    return ta_problem_set(unpack->why, TA_E_SYSTEM, "free some space, or choose another folder", "cannot write %s: %s",
                          path, g_strerror(errno));
}

static enum ta_status unpack_file(struct unpack *unpack, const char *name, mode_t mode, int64_t time_s) {
    g_autofree char *path = g_build_filename(unpack->to, name, NULL);
    g_autofree char *buffer = g_malloc(BLOCK_BYTES);
    int file = open(path, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode & 0111 ? 0777 : 0666);
    if (file < 0)
        return disk_failed(unpack, path);
    enum ta_status status = TA_OK;
    for (la_ssize_t length; !status && (length = archive_read_data(unpack->archive, buffer, BLOCK_BYTES)) != 0;) {
        if (length < 0) {
            status = refuse(unpack, name, archive_error_string(unpack->archive) ? "is damaged" : "cannot be read");
            break;
        }
        unpack->bytes += (uint64_t)length;
        status = check_amount(unpack, name);
        if (!status && !file_write_all(file, buffer, (size_t)length))
            status = disk_failed(unpack, path);
    }
    file_set_time(file, time_s);
    if (close(file) && !status)
        status = disk_failed(unpack, path);
    return status;
}

static enum ta_status note_link(struct unpack *unpack, const char *name, const char *target) {
    if (!target || !*target || g_path_is_absolute(target))
        return refuse(unpack, name, "is a link with an absolute target");
    g_ptr_array_add(unpack->links, g_strdup(name));
    g_ptr_array_add(unpack->links, g_strdup(target));
    return TA_OK;
}

static enum ta_status unpack_entry(struct unpack *unpack, struct archive_entry *entry) {
    const char *raw = archive_entry_pathname(entry);
    if (!raw)
        return refuse(unpack, "", "has a name that cannot be read");
    const char *bad = bad_name(raw);
    if (bad)
        return refuse(unpack, raw, bad);
    g_autofree char *name = plain_name(raw);
    mode_t type = archive_entry_filetype(entry);
    if (!*name)
        return type == AE_IFDIR ? TA_OK : refuse(unpack, raw, "has no name");
    if (++unpack->files > unpack->limits->files)
        return refuse(unpack, name, "is one more than the files that are allowed");
    if (archive_entry_hardlink(entry))
        return refuse(unpack, name, "is a hard link");
    if (archive_entry_is_encrypted(entry))
        return refuse(unpack, name, "is encrypted");
    if (type != AE_IFREG && type != AE_IFDIR && type != AE_IFLNK)
        return refuse(unpack, name, "is neither a file, a folder nor a link");
    enum ta_status status = note_name(unpack, name, type == AE_IFDIR);
    if (status || type == AE_IFDIR)
        return status;
    return type == AE_IFLNK ? note_link(unpack, name, archive_entry_symlink(entry))
                            : unpack_file(unpack, name, archive_entry_perm(entry), archive_entry_mtime(entry));
}

/* Links come last, and are then looked at all together: each may lead through others. */
static enum ta_status make_links(struct unpack *unpack) {
    for (guint i = 0; i + 1 < unpack->links->len; i += 2) {
        g_autofree char *path = g_build_filename(unpack->to, unpack->links->pdata[i], NULL);
        if (symlink(unpack->links->pdata[i + 1], path))
            return disk_failed(unpack, path);
    }
    for (guint i = 0; i + 1 < unpack->links->len; i += 2)
        if (!inside_link(unpack->to, unpack->links->pdata[i]))
            return refuse(unpack, unpack->links->pdata[i], "is a link that leaves the folder");
    return TA_OK;
}

/* How many entries a zip says at its end that it has (APPNOTE 6.3.10, section 4.3.16); -1 for what is no zip, or too large for
   that field. */
static long listed_entries(int file, uint64_t size) {
    enum { END_BYTES = 22, COMMENT_BYTES = 65535 };
    size_t length = (size_t)MIN(size, END_BYTES + COMMENT_BYTES);
    g_autofree unsigned char *tail = g_malloc(length + 1);
    if (pread(file, tail, length, (off_t)(size - length)) != (ssize_t)length)
        return -1;
    for (size_t at = length; at-- >= END_BYTES;) {
        const unsigned char *end = tail + at + 1 - END_BYTES;
        if (memcmp(end, "PK\005\006", 4) || end + END_BYTES + (end[20] | end[21] << 8) != tail + length)
            continue;
        long count = end[10] | end[11] << 8;
        return count == 0xffff ? -1 : count;
    }
    return -1;
}

/* A tar ends with blocks of zeros (POSIX.1-2017, pax): one that was cut off between two entries does not. BEFORE is where the reader stood
   before it found nothing more. */
static bool lacks_end(const struct unpack *unpack, int64_t before) {
    enum { BLOCK = 512 };
    return (archive_format(unpack->archive) & ARCHIVE_FORMAT_BASE_MASK) == ARCHIVE_FORMAT_TAR &&
           archive_filter_bytes(unpack->archive, 0) - before < BLOCK;
}

static enum ta_status unpack_all(struct unpack *unpack, const struct file_watch *watch) {
    struct archive_entry *entry;
    enum ta_status status = folder_make(unpack->to, unpack->why);
    while (!status) {
        if (unpack->entries)
            archive_read_data_skip(unpack->archive);
        int64_t before = archive_filter_bytes(unpack->archive, 0);
        int code = archive_read_next_header(unpack->archive, &entry);
        if (code == ARCHIVE_EOF && unpack->entries && lacks_end(unpack, before))
            return ta_problem_set(unpack->why, TA_E_INPUT, "fetch it again", "%s is cut off: its end mark is missing",
                                  unpack->path);
        if (code == ARCHIVE_EOF && unpack->listed >= 0 && unpack->listed != unpack->entries)
            return ta_problem_set(unpack->why, TA_E_INPUT, "ask its author for another archive; nothing was unpacked",
                                  "%s: it lists %ld entries and holds %ld", unpack->path, unpack->listed,
                                  unpack->entries);
        if (code == ARCHIVE_EOF)
            return unpack->files
                       ? make_links(unpack)
                       : ta_problem_set(unpack->why, TA_E_INPUT, "check the file", "%s: it is empty", unpack->path);
        if (code < ARCHIVE_WARN)
            return ta_problem_set(unpack->why, TA_E_INPUT, "fetch it again",
                                  "%s: it is not an archive, or is damaged: %s", unpack->path,
                                  archive_error_string(unpack->archive));
        if (file_watch_cancelled(watch))
            return ta_problem_set(unpack->why, TA_E_INTERRUPTED, "run it again", "interrupted");
        file_watch_progress(watch, (uint64_t)archive_filter_bytes(unpack->archive, -1), unpack->archive_bytes);
        ++unpack->entries;
        status = unpack_entry(unpack, entry);
    }
    return status;
}

static void close_archive(struct archive *archive, int file) {
    archive_read_free(archive);
    close(file);
}

static enum ta_status no_library(struct ta_problem *why) {
    return ta_problem_set(why, TA_E_SYSTEM, "sudo apt-get install libarchive13",
                          "archives need libarchive, which is not installed");
}

static enum ta_status open_archive(const char *path, int *file, struct archive **opened, struct ta_problem *why) {
    *opened = NULL;
    enum ta_status status = file_open(path, file, why);
    if (status)
        return status;
    if (!archive_library_load()) {
        close(*file);
        return no_library(why);
    }
    struct archive *archive = archive_read_new();
    archive_read_support_format_zip(archive);
    archive_read_support_format_tar(archive);
    archive_read_support_filter_gzip(archive);
    archive_read_support_filter_xz(archive);
    archive_read_support_filter_zstd(archive);
    if (archive_read_open_fd(archive, *file, BLOCK_BYTES) == ARCHIVE_OK) {
        *opened = archive;
        return TA_OK;
    }
    close_archive(archive, *file);
    return ta_problem_set(why, TA_E_INPUT, "fetch it again", "%s: it is not a zip or tar archive", path);
}

enum ta_status archive_unpack(const char *path, const char *to, const struct archive_limits *limits,
                              const struct file_watch *watch, unsigned *files, struct ta_problem *why) {
    int file = -1;
    struct stat about = {0};
    struct unpack unpack = {.path = path, .to = to, .limits = limits, .why = why};
    enum ta_status status = open_archive(path, &file, &unpack.archive, why);
    if (status)
        return status;
    fstat(file, &about);
    unpack.archive_bytes = (uint64_t)about.st_size;
    unpack.listed = g_str_has_suffix(path, ".zip") ? listed_entries(file, unpack.archive_bytes) : -1;
    unpack.seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    unpack.folders = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    unpack.links = g_ptr_array_new_with_free_func(g_free);
    status = unpack_all(&unpack, watch);
    if (status)
        folder_remove(to);
    *files = unpack.files;
    g_hash_table_destroy(unpack.seen);
    g_hash_table_destroy(unpack.folders);
    g_ptr_array_free(unpack.links, TRUE);
    close_archive(unpack.archive, file);
    return status;
}

char *archive_read_entry(const char *path, const char *name, size_t limit, size_t *length) {
    static const int64_t looked_through = INT64_C(1) << 30; /* what is unpacked to find it, in memory block by block */
    int file;
    struct archive *archive;
    open_archive(path, &file, &archive, NULL);
    struct archive_entry *entry;
    char *bytes = NULL;
    while (archive && !bytes && archive_filter_bytes(archive, 0) < looked_through) {
        if (archive_read_next_header(archive, &entry) != ARCHIVE_OK)
            break;
        const char *found = archive_entry_pathname(entry);
        if (!found || strcmp(found, name) || archive_entry_size(entry) < 0)
            continue;
        bool fits = (uint64_t)archive_entry_size(entry) <= limit;
        size_t size = fits ? (size_t)archive_entry_size(entry) : 0;
        bytes = g_malloc0(size + 1);
        la_ssize_t read = archive_read_data(archive, bytes, size);
        *length = read > 0 ? (size_t)read : 0;
    }
    if (archive)
        close_archive(archive, file);
    return bytes;
}

/* Packing. */

static bool pack_file(struct archive *archive, const char *name, const char *bytes, size_t length, bool executable) {
    struct archive_entry *entry = archive_entry_new();
    archive_entry_copy_pathname(entry, name);
    archive_entry_set_filetype(entry, AE_IFREG);
    archive_entry_set_perm(entry, executable ? 0755 : 0644);
    archive_entry_set_mtime(entry, 0, 0);
    archive_entry_set_size(entry, (la_int64_t)length);
    bool good = archive_write_header(archive, entry) == ARCHIVE_OK &&
                (!length || archive_write_data(archive, bytes, length) == (la_ssize_t)length);
    archive_entry_free(entry);
    return good;
}

static struct archive *new_archive(enum archive_form form) {
    struct archive *archive = archive_write_new();
    if (form == ARCHIVE_ZIP) {
        archive_write_set_format_zip(archive);
    } else {
        archive_write_set_format_pax_restricted(archive);
        archive_write_add_filter_gzip(archive);
        archive_write_set_filter_option(archive, "gzip", "timestamp", NULL);
    }
    return archive;
}

/* Into the open FILE. */
static enum ta_status pack_all(int file, enum archive_form form, const char *root, const char *const *files,
                               const struct packed_text *texts, size_t count, bool *good, struct ta_problem *why) {
    struct archive *archive = new_archive(form);
    enum ta_status status = TA_OK;
    *good = archive_write_open_fd(archive, file) == ARCHIVE_OK;
    for (size_t i = 0; *good && i < count; ++i)
        *good = pack_file(archive, texts[i].name, texts[i].bytes, texts[i].length, false);
    for (; *good && !status && *files; ++files) {
        g_autofree char *from = g_build_filename(root, *files, NULL);
        g_autofree char *bytes = NULL;
        size_t size = 0;
        status = file_read(from, (size_t)1 << 30, &bytes, &size, why);
        if (!status)
            *good = pack_file(archive, *files, bytes, size, g_file_test(from, G_FILE_TEST_IS_EXECUTABLE));
    }
    *good = archive_write_close(archive) == ARCHIVE_OK && *good;
    archive_write_free(archive);
    return status;
}

enum ta_status archive_pack(const char *path, enum archive_form form, const char *root, const char *const *files,
                            const struct packed_text *texts, size_t count, struct ta_problem *why) {
    g_autofree char *plain = file_to_replace(path), *part = plain ? g_strconcat(plain, ".part", NULL) : NULL;
    bool good = true;
    int file = -1;
    if (!archive_library_load())
        return no_library(why);
    if (plain)
        unlink(part); /* of one that was killed */
    enum ta_status status = TA_OK;
    if (plain)
        file = open(part, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0666);
    else
        status = file_open_to_write(path, &file, why);
    if (file >= 0)
        status = pack_all(file, form, root, files, texts, count, &good, why);
    good = file >= 0 && !close(file) && good;
    if (!status && (!good || (plain && rename(part, plain))))
        status = ta_problem_set(why, TA_E_SYSTEM, "free some space, or choose another folder", "cannot write %s", path);
    if (status && plain)
        unlink(part);
    return status;
}
