#include "host/lock.h"

#include <errno.h>
#include <fcntl.h>
#include <glib.h>
#include <stdio.h>
#include <string.h>
#include <sys/file.h>
#include <unistd.h>

enum { POLL_US = 20000, NOTE_BYTES = 128 };

/* Who holds the file, and since when: "tanchor build since 14:03". Behind it, in a line of its own, which process that is. */
struct note {
    char text[NOTE_BYTES];
    const char *who, *process;
};

static void read_note(int file, struct note *note) {
    ssize_t length = pread(file, note->text, NOTE_BYTES - 1, 0);
    note->text[length > 0 ? length : 0] = '\0';
    size_t end = strcspn(note->text, "\n");
    note->who = end ? note->text : "somebody";
    note->process = note->text[end] ? note->text + end + 1 : "";
    note->text[end] = '\0';
}

static void write_note(int file, const char *doing) {
    g_autoptr(GDateTime) now = g_date_time_new_now_local();
    g_autofree char *time = now ? g_date_time_format(now, "%H:%M") : NULL;
    g_autofree char *note =
        g_strdup_printf("%s %s since %s\n%d", program_invocation_short_name, doing, time ? time : "?", (int)getpid());
    if (ftruncate(file, 0) || pwrite(file, note, strlen(note), 0) < 0)
        return; /* only a help to those that wait */
}

static enum ta_status refuse(const struct note *note, const char *what, struct ta_problem *why) {
    g_autofree char *fix = *note->process ? g_strdup_printf("wait for it, or end process %s", note->process) : NULL;
    return ta_problem_set(why, TA_E_NO, fix ? fix : "wait for it, then run this again", "%s is in use by %s", what,
                          note->who);
}

enum ta_status lock_take(const char *path, const char *what, const char *doing, unsigned patience_s,
                         bool (*cancelled)(void *), void (*waiting)(void *, const char *who), void *with,
                         struct lock *lock, struct ta_problem *why) {
    struct note note;
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
        read_note(file, &note);
        if (stop || late) {
            close(file);
            return stop ? ta_problem_set(why, TA_E_INTERRUPTED, "run it again", "interrupted")
                        : refuse(&note, what, why);
        }
        if (waiting)
            waiting(with, note.who);
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
