/* libarchive, loaded late (late.h). Behind this header its functions are called as ever. */
#ifndef TA_HOST_ARCHIVE_LIBRARY_H
#define TA_HOST_ARCHIVE_LIBRARY_H

#include <archive.h>
#include <archive_entry.h>
#include <stdbool.h>

#define ARCHIVE_CALLS(X)                                                                                               \
    X(archive_entry_copy_pathname)                                                                                     \
    X(archive_entry_filetype)                                                                                          \
    X(archive_entry_free)                                                                                              \
    X(archive_entry_hardlink)                                                                                          \
    X(archive_entry_is_encrypted)                                                                                      \
    X(archive_entry_mtime)                                                                                             \
    X(archive_entry_new)                                                                                               \
    X(archive_entry_pathname)                                                                                          \
    X(archive_entry_perm)                                                                                              \
    X(archive_entry_set_filetype)                                                                                      \
    X(archive_entry_set_mtime)                                                                                         \
    X(archive_entry_set_perm)                                                                                          \
    X(archive_entry_set_size)                                                                                          \
    X(archive_entry_size)                                                                                              \
    X(archive_entry_symlink)                                                                                           \
    X(archive_error_string)                                                                                            \
    X(archive_filter_bytes)                                                                                            \
    X(archive_format)                                                                                                  \
    X(archive_read_data)                                                                                               \
    X(archive_read_data_skip)                                                                                          \
    X(archive_read_free)                                                                                               \
    X(archive_read_new)                                                                                                \
    X(archive_read_next_header)                                                                                        \
    X(archive_read_open_fd)                                                                                            \
    X(archive_read_support_filter_gzip)                                                                                \
    X(archive_read_support_filter_xz)                                                                                  \
    X(archive_read_support_filter_zstd)                                                                                \
    X(archive_read_support_format_tar)                                                                                 \
    X(archive_read_support_format_zip)                                                                                 \
    X(archive_write_add_filter_gzip)                                                                                   \
    X(archive_write_close)                                                                                             \
    X(archive_write_data)                                                                                              \
    X(archive_write_free)                                                                                              \
    X(archive_write_header)                                                                                            \
    X(archive_write_new)                                                                                               \
    X(archive_write_open_fd)                                                                                           \
    X(archive_write_set_filter_option)                                                                                 \
    X(archive_write_set_format_pax_restricted)                                                                         \
    X(archive_write_set_format_zip)

struct archive_library {
#define ARCHIVE_MEMBER(name) __typeof__(name) *name;
    ARCHIVE_CALLS(ARCHIVE_MEMBER)
#undef ARCHIVE_MEMBER
};
extern struct archive_library archive_library;

/* False when there is no libarchive on this computer. */
bool archive_library_load(void);

#ifndef ARCHIVE_LIBRARY_LOADS /* the file that fills the members calls them by their names */
#define archive_entry_copy_pathname             archive_library.archive_entry_copy_pathname
#define archive_entry_filetype                  archive_library.archive_entry_filetype
#define archive_entry_free                      archive_library.archive_entry_free
#define archive_entry_hardlink                  archive_library.archive_entry_hardlink
#define archive_entry_is_encrypted              archive_library.archive_entry_is_encrypted
#define archive_entry_mtime                     archive_library.archive_entry_mtime
#define archive_entry_new                       archive_library.archive_entry_new
#define archive_entry_pathname                  archive_library.archive_entry_pathname
#define archive_entry_perm                      archive_library.archive_entry_perm
#define archive_entry_set_filetype              archive_library.archive_entry_set_filetype
#define archive_entry_set_mtime                 archive_library.archive_entry_set_mtime
#define archive_entry_set_perm                  archive_library.archive_entry_set_perm
#define archive_entry_set_size                  archive_library.archive_entry_set_size
#define archive_entry_size                      archive_library.archive_entry_size
#define archive_entry_symlink                   archive_library.archive_entry_symlink
#define archive_error_string                    archive_library.archive_error_string
#define archive_filter_bytes                    archive_library.archive_filter_bytes
#define archive_format                          archive_library.archive_format
#define archive_read_data                       archive_library.archive_read_data
#define archive_read_data_skip                  archive_library.archive_read_data_skip
#define archive_read_free                       archive_library.archive_read_free
#define archive_read_new                        archive_library.archive_read_new
#define archive_read_next_header                archive_library.archive_read_next_header
#define archive_read_open_fd                    archive_library.archive_read_open_fd
#define archive_read_support_filter_gzip        archive_library.archive_read_support_filter_gzip
#define archive_read_support_filter_xz          archive_library.archive_read_support_filter_xz
#define archive_read_support_filter_zstd        archive_library.archive_read_support_filter_zstd
#define archive_read_support_format_tar         archive_library.archive_read_support_format_tar
#define archive_read_support_format_zip         archive_library.archive_read_support_format_zip
#define archive_write_add_filter_gzip           archive_library.archive_write_add_filter_gzip
#define archive_write_close                     archive_library.archive_write_close
#define archive_write_data                      archive_library.archive_write_data
#define archive_write_free                      archive_library.archive_write_free
#define archive_write_header                    archive_library.archive_write_header
#define archive_write_new                       archive_library.archive_write_new
#define archive_write_open_fd                   archive_library.archive_write_open_fd
#define archive_write_set_filter_option         archive_library.archive_write_set_filter_option
#define archive_write_set_format_pax_restricted archive_library.archive_write_set_format_pax_restricted
#define archive_write_set_format_zip            archive_library.archive_write_set_format_zip
#endif

#endif
