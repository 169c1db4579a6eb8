#include "host/http.h"

#include "base/text.h"
#include "host/files.h"
#include "host/late.h"

#include <curl/curl.h>
#include <errno.h>
#include <glib.h>
#include <string.h>
#include <unistd.h>

enum { CONNECT_S = 5, LEAST_BYTES_PER_S = 64 };

#undef curl_easy_setopt
#undef curl_easy_getinfo
static struct {
    CURL *(*init)(void);
    CURLcode (*set)(CURL *curl, CURLoption option, ...);
    CURLcode (*perform)(CURL *curl);
    CURLcode (*info)(CURL *curl, CURLINFO info, ...);
    void (*cleanup)(CURL *curl);
    const char *(*error_text)(CURLcode code);
    struct curl_slist *(*list_append)(struct curl_slist *list, const char *text);
    void (*list_free)(struct curl_slist *list);
} library;

static bool has_library(void) {
    static const struct late_function functions[] = {
        {"curl_easy_init", (void **)&library.init},           {"curl_easy_setopt", (void **)&library.set},
        {"curl_easy_perform", (void **)&library.perform},     {"curl_easy_getinfo", (void **)&library.info},
        {"curl_easy_cleanup", (void **)&library.cleanup},     {"curl_easy_strerror", (void **)&library.error_text},
        {"curl_slist_append", (void **)&library.list_append}, {"curl_slist_free_all", (void **)&library.list_free}};
    return late_load("libcurl.so.4", functions, G_N_ELEMENTS(functions));
}

struct exchange {
    const struct http_request *request;
    struct http_answer *answer;
    CURL *curl;
    struct text text;
    uint64_t received;
    double seconds;
    bool too_long, disk_failed;
    int disk_error;
};

static size_t write_file(struct exchange *exchange, const char *bytes, size_t length) {
    exchange->disk_failed = !file_write_all(exchange->request->file, bytes, length);
    exchange->disk_error = errno;
    return exchange->disk_failed ? 0 : length;
}

/* Only what was asked for goes into the file: a refusal's text is kept in memory, and a server that sends all from the start
   again has the file begun anew. */
static size_t receive(char *bytes, size_t one, size_t length, void *with) {
    struct exchange *exchange = with;
    const struct http_request *request = exchange->request;
    long code = 0;
    (void)one;
    library.info(exchange->curl, CURLINFO_RESPONSE_CODE, &code);
    bool wanted = code == 200 || code == 206, to_file = request->file >= 0 && wanted;
    if (to_file && !exchange->received && code == 200 && request->from &&
        (ftruncate(request->file, 0) || lseek(request->file, 0, SEEK_SET)))
        return 0;
    exchange->received += length;
    if (exchange->received + (code == 206 ? request->from : 0) > (wanted ? request->limit : 65536)) {
        exchange->too_long = true;
        return 0;
    }
    if (to_file)
        return write_file(exchange, bytes, length);
    text_add(&exchange->text, bytes, length);
    return exchange->text.failed ? 0 : length;
}

static size_t read_header(char *line, size_t one, size_t length, void *with) {
    struct exchange *exchange = with;
    static const char name[] = "etag:";
    (void)one;
    if (length > strlen(name) && !g_ascii_strncasecmp(line, name, strlen(name))) {
        g_free(exchange->answer->etag);
        exchange->answer->etag = g_strstrip(g_strndup(line + strlen(name), length - strlen(name)));
    }
    return length;
}

static int tell(void *with, curl_off_t total, curl_off_t now, curl_off_t up_total, curl_off_t up_now) {
    const struct exchange *exchange = with;
    const struct http_request *request = exchange->request;
    (void)up_total;
    (void)up_now;
    if (request->progress && request->file >= 0 && now)
        request->progress(request->with, request->from + (uint64_t)now, total ? request->from + (uint64_t)total : 0);
    return request->cancelled && request->cancelled(request->with);
}

/* What the other side's silence means, in one line. */
static enum ta_status explain(const struct exchange *exchange, CURLcode code, struct ta_problem *why) {
    static const char again[] = "run it again: it goes on where it stopped";
    const char *url = exchange->request->url;
    const char *scheme = strstr(url, "://"), *host = scheme ? scheme + 3 : url;
    int length = (int)(host - url + (ptrdiff_t)strcspn(host, "/"));
    if (exchange->disk_failed)
        return ta_problem_set(why, TA_E_SYSTEM, "free some space, then run it again",
                              "cannot keep what comes from %.*s: %s", length, url, g_strerror(exchange->disk_error));
    if (exchange->too_long)
        return ta_problem_set(why, TA_E_SYSTEM, "tell the depot's keeper", "%.*s sends more than it should", length,
                              url);
    switch (code) {
    case CURLE_ABORTED_BY_CALLBACK: return ta_problem_set(why, TA_E_INTERRUPTED, again, "interrupted");
    case CURLE_COULDNT_CONNECT:
    case CURLE_COULDNT_RESOLVE_HOST:
        return ta_problem_set(why, TA_E_SYSTEM, "check the address, and that it is running", "%.*s cannot be reached",
                              length, url);
    case CURLE_OPERATION_TIMEDOUT:
        if (exchange->seconds + 0.5 >= exchange->request->limit_s)
            return ta_problem_set(why, TA_E_SYSTEM, "run it again: it goes on; transfer-seconds in preferences.yaml",
                                  "%.*s took longer than %u s", length, url, exchange->request->limit_s);
        return ta_problem_set(why, TA_E_SYSTEM, again, "%.*s is too slow: nothing came for %u s", length, url,
                              exchange->request->patience_s);
    case CURLE_URL_MALFORMAT:
    case CURLE_UNSUPPORTED_PROTOCOL:
        return ta_problem_set(why, TA_E_INPUT, "write for example http://127.0.0.1:8470",
                              "%s is not the address of a depot", url);
    default:
        return ta_problem_set(why, TA_E_SYSTEM, again, "%.*s broke off: %s", length, url, library.error_text(code));
    }
}

static struct curl_slist *make_headers(const struct http_request *request) {
    struct curl_slist *headers = NULL;
    g_autofree char *newer = request->etag ? g_strdup_printf("If-None-Match: %s", request->etag) : NULL;
    g_autofree char *rest =
        request->from ? g_strdup_printf("Range: bytes=%" G_GUINT64_FORMAT "-", request->from) : NULL;
    g_autofree char *of = request->from && request->from_of ? g_strdup_printf("If-Range: %s", request->from_of) : NULL;
    g_autofree char *type = request->type ? g_strdup_printf("Content-Type: %s", request->type) : NULL;
    const char *const all[] = {newer, rest, of, type, "Expect:"};
    for (size_t i = 0; i < G_N_ELEMENTS(all); ++i)
        headers = all[i] ? library.list_append(headers, all[i]) : headers;
    return headers;
}

static void set_options(struct exchange *exchange, const struct curl_slist *headers) {
    const struct http_request *request = exchange->request;
    CURL *curl = exchange->curl;
    library.set(curl, CURLOPT_URL, request->url);
    library.set(curl, CURLOPT_PROTOCOLS_STR, "http,https");
    library.set(curl, CURLOPT_NOPROXY, "localhost,127.0.0.1,::1");
    library.set(curl, CURLOPT_HTTPHEADER, headers);
    library.set(curl, CURLOPT_CONNECTTIMEOUT, (long)MIN(CONNECT_S, request->patience_s));
    library.set(curl, CURLOPT_LOW_SPEED_LIMIT, (long)LEAST_BYTES_PER_S);
    library.set(curl, CURLOPT_TIMEOUT, (long)request->limit_s);
    library.set(curl, CURLOPT_LOW_SPEED_TIME, (long)request->patience_s);
    library.set(curl, CURLOPT_NOSIGNAL, 1L);
    library.set(curl, CURLOPT_NOPROGRESS, 0L);
    library.set(curl, CURLOPT_XFERINFOFUNCTION, tell);
    library.set(curl, CURLOPT_XFERINFODATA, exchange);
    library.set(curl, CURLOPT_WRITEFUNCTION, receive);
    library.set(curl, CURLOPT_WRITEDATA, exchange);
    library.set(curl, CURLOPT_HEADERFUNCTION, read_header);
    library.set(curl, CURLOPT_HEADERDATA, exchange);
    if (request->bearer) {
        library.set(curl, CURLOPT_HTTPAUTH, CURLAUTH_BEARER);
        library.set(curl, CURLOPT_XOAUTH2_BEARER, request->bearer);
    }
    if (request->body)
        library.set(curl, CURLOPT_POSTFIELDS, request->body);
}

enum ta_status http_ask(const struct http_request *request, struct http_answer *answer, struct ta_problem *why) {
    *answer = (struct http_answer){0};
    if (!has_library())
        return ta_problem_set(why, TA_E_SYSTEM, "sudo apt-get install libcurl4", "libcurl is not on this computer");
    struct exchange exchange = {.request = request, .answer = answer, .curl = library.init()};
    if (!exchange.curl)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    struct curl_slist *headers = make_headers(request);
    set_options(&exchange, headers);
    CURLcode code = library.perform(exchange.curl);
    long number = 0;
    library.info(exchange.curl, CURLINFO_RESPONSE_CODE, &number);
    library.info(exchange.curl, CURLINFO_TOTAL_TIME, &exchange.seconds);
    answer->code = (int)number;
    answer->text = exchange.text.bytes ? g_strndup(exchange.text.bytes, exchange.text.length) : g_strdup("");
    answer->length = exchange.text.length;
    answer->broken =
        code == CURLE_PARTIAL_FILE || code == CURLE_RECV_ERROR || code == CURLE_GOT_NOTHING || code == CURLE_SEND_ERROR;
    text_free(&exchange.text);
    library.list_free(headers);
    library.cleanup(exchange.curl);
    return code == CURLE_OK ? TA_OK : explain(&exchange, code, why);
}

void http_clear(struct http_answer *answer) {
    g_free(answer->text);
    g_free(answer->etag);
    *answer = (struct http_answer){0};
}

char *http_escape(const char *text) {
    return g_uri_escape_string(text, NULL, FALSE);
}
