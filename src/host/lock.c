#include "host/lock.h"

#include <errno.h>
#include <fcntl.h>
#include <glib.h>
#include <stdio.h>
#include <string.h>
#include <sys/file.h>
#include <unistd.h>

enum { POLL_US = 20000, NOTE_BYTES = 128 };

/* "build (process 4711) since 14:03:10", as the one who holds it wrote it. */
static void read_note(int file, char note[NOTE_BYTES]) {
    ssize_t length = pread(file, note, NOTE_BYTES - 1, 0);
    note[length > 0 ? length : 0] = '\0';
    note[strcspn(note, "\n")] = '\0';
    if (!*note)
        g_strlcpy(note, "somebody", NOTE_BYTES);
}

static void write_note(int file, const char *doing) {
    g_autoptr(GDateTime) now = g_date_time_new_now_local();
    g_autofree char *time = now ? g_date_time_format(now, "%H:%M:%S") : NULL;
    g_autofree char *note = g_strdup_printf("%s (process %d) since %s\n", doing, (int)getpid(), time ? time : "?");
    if (ftruncate(file, 0) || pwrite(file, note, strlen(note), 0) < 0)
        return; /* only a help to those that wait */
}

enum ta_status lock_take(const char *path, const char *what, const char *doing, unsigned patience_s,
                         bool (*cancelled)(void *), void (*waiting)(void *, const char *who), void *with,
                         struct lock *lock, struct ta_problem *why) {
    char note[NOTE_BYTES];
    gint64 start = g_get_monotonic_time();
    *lock = (struct lock){0};
    int file = open(path, O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0666);
    if (file < 0 &&
        (errno == EACCES || errno == EROFS)) { /* a reader disturbs no other process, but waits for writers */
        file = open(path, O_RDONLY | O_CLOEXEC | O_NOFOLLOW);
        if (file < 0)
            return TA_OK;
    }
    if (file < 0)
        return ta_problem_set(why, TA_E_SYSTEM, "check the folder's permissions", "cannot write %s: %s", path,
                              g_strerror(errno));
    while (flock(file, LOCK_EX | LOCK_NB)) {
        if (errno != EWOULDBLOCK && errno != EINTR)
            break; /* a file system that has no locks: better to work than to refuse for ever */
        bool stop = cancelled && cancelled(with);
        bool late = g_get_monotonic_time() - start > (gint64)patience_s * G_TIME_SPAN_SECOND;
        read_note(file, note);
        if (stop || late) {
            close(file);
            return stop ? ta_problem_set(why, TA_E_INTERRUPTED, "run it again", "interrupted")
                        : ta_problem_set(why, TA_E_NO, "wait for it, then run this again", "%s is at work on %s", note,
                                         what);
        }
        if (waiting)
            waiting(with, note);
        g_usleep(POLL_US);
    }
    write_note(file, doing);
    lock->file = file;
    return TA_OK;
}

void lock_release(struct lock *lock) {
    if (!lock->file)
        return;
    if (ftruncate(lock->file, 0)) {
    } /* the note is of no more use */
    close(lock->file);
    lock->file = 0;
}
