/* Archives: zip, and tar plain or compressed with gzip, xz or zstd, through libarchive. What comes out stays below one
   folder, or nothing comes out. */
#ifndef TA_HOST_ARCHIVE_H
#define TA_HOST_ARCHIVE_H

#include "host/files.h"
#include "tameanchor/status.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* How much an archive may hold. RATIO: bytes that come out for each byte of the archive, once more than a MiB came out. */
struct archive_limits {
    uint64_t bytes, files, ratio;
};

extern const struct archive_limits archive_limits_default;

/* True when PATH's name ends like an archive's: .zip, .tar, .tar.gz, .tgz, .tar.xz, .tar.zst. */
bool archive_is_named(const char *path);

/* Unpacks PATH into the folder TO, which must not exist. Entries with absolute paths or "..", links that leave the folder,
   hard links, devices, names that are there already or differ by case alone, and archives over LIMITS are refused, with
   the entry's name; TO is then gone again. WATCH may be null; its progress counts the archive's bytes. */
enum ta_status archive_unpack(const char *path, const char *to, const struct archive_limits *limits,
                              const struct file_watch *watch, unsigned *files, struct ta_problem *why);

/* Reads the entry NAME of the archive at PATH into memory without unpacking anything; one of more than LIMIT bytes reads as
   empty. Null when there is none; freed with g_free, a zero follows its *LENGTH bytes. */
char *archive_read_entry(const char *path, const char *name, size_t limit, size_t *length);

/* A file that is packed from memory. */
struct packed_text {
    const char *name, *bytes;
    size_t length;
};

/* Writes an archive at PATH from FILES (relative to ROOT, ends with null), preceded by the COUNT texts. Equal contents give an equal
   archive: no times, no owners. PATH is whole or as it was. */
enum archive_form { ARCHIVE_TAR_GZ, ARCHIVE_ZIP };
enum ta_status archive_pack(const char *path, enum archive_form form, const char *root, const char *const *files,
                            const struct packed_text *texts, size_t count, struct ta_problem *why);

#endif
