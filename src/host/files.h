/* Files and folders. Texts returned are GLib's, freed with g_free. Problems say the path and the system's reason. */
#ifndef TA_HOST_FILES_H
#define TA_HOST_FILES_H

#include "host/sha256.h"
#include "tameanchor/status.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <time.h>

/* Opens the plain file at PATH for reading; TA_E_INPUT for what is none: no pipe or device is ever waited for or read. *FILE is
   the caller's to close, and -1 after a problem. */
enum ta_status file_open(const char *path, int *file, struct ta_problem *why);

/* Reads a whole file of at most LIMIT bytes; a zero follows its bytes. */
enum ta_status file_read(const char *path, size_t limit, char **bytes, size_t *length, struct ta_problem *why);

/* The first bytes of the regular file at PATH, SIZE at the most, into HEAD; how many there were. */
size_t file_head(const char *path, char *head, size_t size);

/* Writes a whole file, or leaves what was there: the new one takes the old one's place when it is complete. */
enum ta_status file_write(const char *path, const void *bytes, size_t length, struct ta_problem *why);

/* Files that a user names. A plain file is replaced when the new one is complete, through links the one that they lead to; what is no plain
   file, a pipe or a device, is opened and written. */
enum ta_status file_write_named(const char *path, const void *bytes, size_t length, struct ta_problem *why);
/* The parts of it: the file to replace, freed with g_free, or null where there is none; and what else is there, opened. */
char *file_to_replace(const char *path);
enum ta_status file_open_to_write(const char *path, int *file, struct ta_problem *why);

/* As file_write, but leaves the file alone when it holds these bytes already. */
enum ta_status file_write_changed(const char *path, const void *bytes, size_t length, struct ta_problem *why);

/* The same for outputs: what can be made again, and has one writer. A computer that loses its power a moment later may have an empty file
   there, since nobody waits until the bytes are on the disk. */
enum ta_status file_write_output(const char *path, const void *bytes, size_t length, struct ta_problem *why);

/* The output PART takes the place of PATH, where one or the other is at every moment. False with errno. */
bool file_place(const char *part, const char *path);

/* As file_write, readable and writable by its owner alone from its first byte on. */
enum ta_status file_write_private(const char *path, const void *bytes, size_t length, struct ta_problem *why);

/* Lets the open FILE have been modified at TIME_S, seconds since 1970, where that is known and past: what is the same everywhere shall have the
   same time everywhere. */
void file_set_time(int file, int64_t time_s);

/* Makes PATH a link to TO, in place of any link that was there. False with errno. */
bool file_link(const char *to, const char *path);

/* Writes all LENGTH bytes to an open FILE; false with errno. */
bool file_write_all(int file, const char *bytes, size_t length);

/* TA_E_SYSTEM for a call that failed with errno: "cannot WHAT PATH", the system's reason, and what to do about it. */
enum ta_status file_failed(struct ta_problem *why, const char *what, const char *path);

/* The size of the file at PATH; 0 when there is none. */
uint64_t file_size(const char *path);

enum ta_status folder_make(const char *path, struct ta_problem *why);

/* The same, for its owner alone, also when it is there already. */
enum ta_status folder_make_private(const char *path, struct ta_problem *why);

/* True when PATH is no folder, or one without entries. */
bool folder_is_empty(const char *path);

void folder_remove(const char *path);

/* The paths below FOLDER, relative to it and sorted, that match PATTERN: '*' and '?' stand for anything in one path
   element. A pattern without them is returned as it is. Ends with null; freed with g_strfreev. */
char **files_match(const char *folder, const char *pattern);

/* The same, telling of each match whether its folder says that it is a regular file, no link. REGULAR is freed with g_free. */
char **files_match_kinds(const char *folder, const char *pattern, bool **regular);

/* The paths of all files and links below FOLDER, relative to it and sorted; ends with null, freed with g_strfreev. Entries
   of FOLDER itself that SKIP (may be null, ends with null) names are left out. */
char **files_below(const char *folder, const char *const *skip);

/* What the one '*' of PATTERN stands for in each match, sorted; ends with null, freed with g_strfreev. */
char **files_names(const char *folder, const char *pattern);

/* Who looks on while many files are handled: asked whether to stop, told of how many bytes are done, of how many (0: not
   known). Each may be null, as the whole may be. */
struct file_watch {
    bool (*cancelled)(void *with);
    void *cancelled_with;
    void (*progress)(void *with, uint64_t done, uint64_t total);
    void *progress_with;
};
bool file_watch_cancelled(const struct file_watch *watch);
void file_watch_progress(const struct file_watch *watch, uint64_t done, uint64_t total);

/* SHA-256 as 64 hexadecimal digits, of bytes and of a file of at most FILE_MOST_GIB. */
enum { FILE_MOST_GIB = 4 };
void bytes_sha256(const void *bytes, size_t length, char text[SHA256_TEXT_BYTES]);
enum ta_status file_sha256(const char *path, const struct file_watch *watch, char text[SHA256_TEXT_BYTES],
                           struct ta_problem *why);

/* Whether the file was saved at START or later, by the clock that file systems stamp with (CLOCK_REALTIME_COARSE); one that is not
   there was. */
bool file_saved_since(const char *path, const struct timespec *start);

#endif
