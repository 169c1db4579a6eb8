#include "host/stamp.h"

#include <string.h>
#include <sys/stat.h>
#include <time.h>

enum { TICKS_NS = 20 * 1000 * 1000 }; /* more than two ticks of any kernel */
static const int64_t second_ns = 1000 * 1000 * 1000;

static int64_t nanoseconds(const struct timespec *time) {
    return (int64_t)time->tv_sec * second_ns + time->tv_nsec;
}

bool stamp_of(const char *path, struct stamp *stamp) {
    struct stat about;
    *stamp = (struct stamp){0};
    if (stat(path, &about) || !S_ISREG(about.st_mode))
        return false;
    *stamp =
        (struct stamp){about.st_size, nanoseconds(&about.st_mtim), nanoseconds(&about.st_ctim), (int64_t)about.st_ino};
    return true;
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
