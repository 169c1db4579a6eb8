#include "host/stamp.h"

#include <fcntl.h>
#include <glib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

enum { TICKS_NS = 20 * 1000 * 1000 }; /* more than two ticks of any kernel */
static const int64_t second_ns = 1000 * 1000 * 1000;

static int64_t nanoseconds(const struct timespec *time) {
    return (int64_t)time->tv_sec * second_ns + time->tv_nsec;
}

/* A PATH that is not absolute begins in FOLDER. */
static bool stamp_at(int folder, const char *path, struct stamp *stamp) {
    struct stat about;
    *stamp = (struct stamp){0};
    if (fstatat(folder, path, &about, 0) || !S_ISREG(about.st_mode))
        return false;
    *stamp =
        (struct stamp){about.st_size, nanoseconds(&about.st_mtim), nanoseconds(&about.st_ctim), (int64_t)about.st_ino};
    return true;
}

bool stamp_of(const char *path, struct stamp *stamp) {
    return stamp_at(AT_FDCWD, path, stamp);
}

struct share {
    const char *const *paths;
    struct stamp *stamps;
    size_t count;
};

static size_t folder_length(const char *path) {
    const char *slash = strrchr(path, '/');
    return slash ? (size_t)(slash + 1 - path) : 0;
}

/* The way to a folder is gone once for all that follow one another in it. */
static gpointer look_at_share(gpointer data) {
    enum { WORTH = 4 };
    const struct share *share = data;
    for (size_t i = 0, end; i < share->count; i = end) {
        size_t length = folder_length(share->paths[i]);
        for (end = i + 1; end < share->count && folder_length(share->paths[end]) == length; ++end)
            if (memcmp(share->paths[end], share->paths[i], length) != 0)
                break;
        g_autofree char *name = g_strndup(share->paths[i], length);
        int folder = length && end - i >= WORTH ? open(name, O_PATH | O_DIRECTORY | O_CLOEXEC) : -1;
        for (size_t k = i; k < end; ++k)
            stamp_at(folder >= 0 ? folder : AT_FDCWD, share->paths[k] + (folder >= 0 ? length : 0), &share->stamps[k]);
        if (folder >= 0)
            close(folder);
    }
    return NULL;
}

void stamps_of(const char *const *paths, size_t count, struct stamp *stamps) {
    enum { SHARES = 4, SHARE_FILES = 1000 }; /* fewer are not worth a thread */
    struct share shares[SHARES];
    GThread *threads[SHARES] = {NULL};
    size_t wanted = MIN(SHARES, count / SHARE_FILES + 1), processors = wanted > 1 ? g_get_num_processors() : 1;
    wanted = MIN(wanted, processors);
    for (size_t i = 0; i < wanted; ++i) {
        size_t from = count * i / wanted, to = count * (i + 1) / wanted;
        shares[i] = (struct share){paths + from, stamps + from, to - from};
        if (i)
            threads[i] = g_thread_try_new("stamps", look_at_share, &shares[i], NULL);
        if (i && !threads[i])
            look_at_share(&shares[i]);
    }
    look_at_share(&shares[0]);
    for (size_t i = 1; i < wanted; ++i)
        if (threads[i])
            g_thread_join(threads[i]);
}

bool stamps_equal(const struct stamp *a, const struct stamp *b) {
    return !memcmp(a, b, sizeof *a);
}

int64_t stamp_now_ns(void) {
    struct timespec now;
    clock_gettime(CLOCK_REALTIME_COARSE, &now);
    return nanoseconds(&now);
}

bool stamp_is_settled(const struct stamp *stamp) {
    bool coarse = stamp->changed_ns % second_ns == 0;
    return stamp_now_ns() - stamp->changed_ns > (coarse ? 2 * second_ns + TICKS_NS : TICKS_NS);
}
