#include "flow/depot/depot.h"

#include "flow/durations.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <sys/file.h>
#include <unistd.h>

enum { TRIES_WITHOUT_PROGRESS = 3 };

struct download {
    struct ta_context *context;
    const struct offer *offer;
    const char *path;
    char *url, *token, *etag;
    struct duration_watch watch;
    struct ta_problem *why;
};

static bool download_cancelled(void *with) {
    return context_cancelled(((const struct download *)with)->context);
}

static void download_progress(void *with, uint64_t done, uint64_t total) {
    struct download *download = with;
    (void)total;
    duration_progress(&download->watch, done, download->offer->archive_bytes);
}

/* One request for what is missing. *BROKEN tells that asking again may help. */
static enum ta_status ask_rest(struct download *download, int file, bool *broken) {
    off_t from = lseek(file, 0, SEEK_END);
    const struct http_request request = {.url = download->url,
                                         .bearer = download->token,
                                         .limit = download->offer->archive_bytes,
                                         .patience_s = context_seconds(download->context, PATIENCE_S),
                                         .limit_s = context_seconds(download->context, TRANSFER_S),
                                         .file = file,
                                         .from = from > 0 ? (uint64_t)from : 0,
                                         .from_of = download->etag,
                                         .cancelled = download_cancelled,
                                         .progress = download_progress,
                                         .with = download};
    struct http_answer answer;
    enum ta_status status = http_ask(&request, &answer, download->why);
    *broken = status && answer.broken;
    if (!status && answer.code != 200 && answer.code != 206)
        status = depot_refused(download->offer->place, &answer, download->why);
    http_clear(&answer);
    return status;
}

/* Asks until all is there; a connection that breaks is taken up again as long as something comes. */
static enum ta_status receive(struct download *download, int file) {
    uint64_t wanted = download->offer->archive_bytes, had = 0;
    enum ta_status status = TA_OK;
    bool broken = true;
    for (int idle = 0; broken && idle < TRIES_WITHOUT_PROGRESS; ++idle) {
        off_t length = lseek(file, 0, SEEK_END);
        if ((uint64_t)length >= wanted)
            return TA_OK;
        status = ask_rest(download, file, &broken);
        length = lseek(file, 0, SEEK_END);
        if ((uint64_t)length > had)
            idle = 0;
        had = (uint64_t)length;
    }
    return status;
}

static enum ta_status check_download(struct download *download) {
    static const char fix[] = "run it again; if it stays so, tell the depot's keeper";
    const struct offer *offer = download->offer;
    char digest[SHA256_TEXT_BYTES];
    uint64_t size = file_size(download->path);
    enum ta_status status = file_sha256(download->path, NULL, digest, download->why);
    if (!status && size != offer->archive_bytes)
        status = ta_problem_set(download->why, TA_E_SYSTEM, fix, "%s %s from %s has %llu bytes, its index says %llu",
                                offer->package.package, offer->package.version, offer->place, (unsigned long long)size,
                                (unsigned long long)offer->archive_bytes);
    else if (!status && strcmp(digest, offer->sha256))
        status = ta_problem_set(download->why, TA_E_SYSTEM, fix,
                                "%s %s from %s does not have the SHA-256 that its index gives", offer->package.package,
                                offer->package.version, offer->place);
    if (status)
        g_unlink(download->path); /* going on with it would never help */
    return status;
}

enum ta_status depot_download(struct ta_context *context, const struct offer *offer, const char *path,
                              struct ta_problem *why) {
    struct download download = {.context = context, .offer = offer, .path = path, .why = why};
    g_autofree char *key = g_strdup_printf("fetch %s", offer->place);
    g_autofree char *what = g_strdup_printf("fetching %s %s", offer->package.package, offer->package.version);
    enum ta_status status = depot_token(context, offer->place, &download.token, why);
    if (status && offer->package.accept)
        return status; /* what wants no sign-in is fetched without one */
    status = TA_OK;
    int file = open(path, O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    if (file < 0) {
        status = ta_problem_set(why, TA_E_SYSTEM, "check the folder's permissions", "cannot write %s: %s", path,
                                g_strerror(errno));
    } else if (flock(file, LOCK_EX | LOCK_NB)) {
        status = ta_problem_set(why, TA_E_NO, "wait for it, then run this again", "another tanchor is %s", what);
    } else {
        uint64_t from = (uint64_t)lseek(file, 0, SEEK_END);
        download.url = g_strdup_printf("%s/v1/packages/%s-%s.tar.gz", offer->place, offer->package.package,
                                       offer->package.version);
        download.etag = g_strdup_printf("\"%s\"", offer->sha256);
        if (from > offer->archive_bytes && !ftruncate(file, 0))
            from = 0;
        duration_start(&download.watch, context, what, key, from, offer->archive_bytes - from);
        status = receive(&download, file);
        if (!status)
            duration_end(&download.watch, offer->archive_bytes - from);
        if (!status)
            status = check_download(&download);
    }
    if (file >= 0)
        close(file);
    g_free(download.url);
    g_free(download.token);
    g_free(download.etag);
    return status;
}
