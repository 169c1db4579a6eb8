#include "depot/server.h"

#include "depot/waiting.h"

#include "base/text.h"
#include "host/files.h"
#include "host/memory.h"
#include "host/token.h"

#include <arpa/inet.h>
#include <errno.h>
#include <glib.h>
#include <jansson.h>
#include <microhttpd.h>
#include <netinet/in.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

enum {
    BODY_BYTES = 16384,
    THREADS = 4,
    CONNECTIONS = 1000,
    CONNECTIONS_OF_ONE = 100,
    REQUEST_S = 20,
    SEARCH_AT_MOST = 200
};

struct server {
    struct MHD_Daemon *daemon;
    struct patience *patience;
    struct shelf *shelf;
    struct accounts *accounts;
    int64_t token_lifetime_s;
    struct rehearsal rehearsal;
    GRand *random;
    GMutex lock; /* of the random numbers */
};

/* One request, from its first byte to the end of its body. */
struct request {
    struct server *server;
    struct MHD_Connection *connection;
    GString *body;
    const char *rest; /* of the path, behind the route's head */
};

/* Answers. */

static enum MHD_Result send_response(struct request *request, unsigned code, struct MHD_Response *response) {
    enum MHD_Result result = MHD_queue_response(request->connection, code, response);
    MHD_destroy_response(response);
    return result;
}

static enum MHD_Result send_text(struct request *request, unsigned code, const char *type, const char *text) {
    struct MHD_Response *response = MHD_create_response_from_buffer(strlen(text), (void *)text, MHD_RESPMEM_MUST_COPY);
    MHD_add_response_header(response, "Content-Type", type);
    if (code == MHD_HTTP_UNAUTHORIZED)
        MHD_add_response_header(response, "WWW-Authenticate", "Bearer");
    return send_response(request, code, response);
}

static enum MHD_Result send_json(struct request *request, unsigned code, const char *type, json_t *json) {
    char *text = json_dumps(json, JSON_COMPACT);
    enum MHD_Result result = send_text(request, code, type, text ? text : "{}");
    free(text);
    json_decref(json);
    return result;
}

/* Problem details, RFC 9457. */
static enum MHD_Result refuse(struct request *request, unsigned code, const char *detail) {
    return send_json(
        request, code, "application/problem+json",
        json_pack("{s:s, s:i, s:s}", "title", MHD_get_reason_phrase_for(code), "status", (int)code, "detail", detail));
}

/* Asking. */

static const char *header(const struct request *request, const char *name) {
    return MHD_lookup_connection_value(request->connection, MHD_HEADER_KIND, name);
}

/* Who asks, by the bearer token; null after a refusal was sent, whose result goes to *SENT. */
static char *signed_in(struct request *request, enum MHD_Result *sent) {
    const char *given = header(request, "Authorization");
    bool ended = false;
    char *name = given && !g_ascii_strncasecmp(given, "Bearer ", 7)
                     ? accounts_of_token(request->server->accounts, given + 7, &ended)
                     : NULL;
    if (!name)
        *sent = refuse(request, MHD_HTTP_UNAUTHORIZED,
                       ended   ? "the token has ended"
                       : given ? "the token is not valid"
                               : "this needs a token");
    return name;
}

/* A value of a form in the body, or null; freed with g_free. */
static char *form_value(const struct request *request, const char *key) {
    g_auto(GStrv) pairs = g_strsplit(request->body->str, "&", -1);
    for (char **pair = pairs; *pair; ++pair) {
        char *equals = strchr(*pair, '=');
        if (!equals || strncmp(*pair, key, (size_t)(equals - *pair)) || strlen(key) != (size_t)(equals - *pair))
            continue;
        g_strdelimit(equals + 1, "+", ' ');
        return g_uri_unescape_string(equals + 1, NULL);
    }
    return NULL;
}

/* Routes. */

static enum MHD_Result give_index(struct request *request) {
    const struct shelf *shelf = request->server->shelf;
    const char *known = header(request, "If-None-Match");
    bool same = known && !strcmp(known, shelf->index_etag);
    struct MHD_Response *response = MHD_create_response_from_buffer(
        same ? 0 : strlen(shelf->index), same ? (void *)"" : shelf->index, MHD_RESPMEM_PERSISTENT);
    MHD_add_response_header(response, "ETag", shelf->index_etag);
    MHD_add_response_header(response, "Content-Type", "application/json");
    return send_response(request, same ? MHD_HTTP_NOT_MODIFIED : MHD_HTTP_OK, response);
}

static enum MHD_Result give_matches(struct request *request) {
    const char *words = MHD_lookup_connection_value(request->connection, MHD_GET_ARGUMENT_KIND, "words");
    g_auto(GStrv) all = g_strsplit(words ? words : "", " ", -1);
    g_autoptr(GPtrArray) wanted = g_ptr_array_new();
    for (char **word = all; *word; ++word)
        if (**word)
            g_ptr_array_add(wanted, *word);
    const struct offer_query query = {
        .words = (const char *const *)wanted->pdata,
        .word_count = wanted->len,
        .kind = MHD_lookup_connection_value(request->connection, MHD_GET_ARGUMENT_KIND, "kind"),
        .component = MHD_lookup_connection_value(request->connection, MHD_GET_ARGUMENT_KIND, "component")};
    struct offers offers = {0};
    size_t room = 0;
    struct arena *arena = arena_or_end();
    if (offers_search(request->server->shelf->search, "", &query, arena, &offers, &room, NULL)) {
        arena_free(arena);
        return refuse(request, MHD_HTTP_INTERNAL_SERVER_ERROR, "the search failed");
    }
    offers.count = MIN(offers.count, SEARCH_AT_MOST);
    char *text = package_index_write(&offers);
    enum MHD_Result result = send_text(request, MHD_HTTP_OK, "application/json", text ? text : "{}");
    free(text);
    arena_free(arena);
    return result;
}

static char *client_address(const struct request *request) {
    const union MHD_ConnectionInfo *info =
        MHD_get_connection_info(request->connection, MHD_CONNECTION_INFO_CLIENT_ADDRESS);
    char text[INET_ADDRSTRLEN] = "";
    if (info && info->client_addr->sa_family == AF_INET)
        inet_ntop(AF_INET, &((const struct sockaddr_in *)(const void *)info->client_addr)->sin_addr, text, sizeof text);
    return g_strdup(text);
}

static enum MHD_Result sign_in(struct request *request) {
    struct server *server = request->server;
    g_autofree char *name = form_value(request, "username"), *password = form_value(request, "password");
    if (!name || !password)
        return refuse(request, MHD_HTTP_BAD_REQUEST, "username and password are wanted");
    g_autofree char *from = client_address(request);
    enum account_answer known = accounts_sign_in(server->accounts, from, name, password);
    if (known == ACCOUNT_WAITS)
        return refuse(request, MHD_HTTP_TOO_MANY_REQUESTS, "too many wrong passwords; wait a minute");
    if (known == ACCOUNT_UNKNOWN)
        return refuse(request, MHD_HTTP_UNAUTHORIZED, "the account name or the password is wrong");
    g_autofree char *token = accounts_token(server->accounts, name, server->token_lifetime_s);
    if (!token)
        return refuse(request, MHD_HTTP_INTERNAL_SERVER_ERROR, "no token can be made");
    return send_json(request, MHD_HTTP_OK, "application/json",
                     json_pack("{s:s, s:s, s:I}", "access_token", token, "token_type", "Bearer", "expires_in",
                               (json_int_t)server->token_lifetime_s));
}

static enum MHD_Result give_licence(struct request *request) {
    char digest[SHA256_TEXT_BYTES];
    g_autofree char *text = shelf_licence(request->server->shelf, request->rest, digest);
    return text ? send_text(request, MHD_HTTP_OK, "text/plain; charset=utf-8", text)
                : refuse(request, MHD_HTTP_NOT_FOUND, "there is no such licence text");
}

static enum MHD_Result accept_licence(struct request *request) {
    static const char tail[] = "/acceptance";
    char digest[SHA256_TEXT_BYTES];
    enum MHD_Result sent = MHD_NO;
    if (!g_str_has_suffix(request->rest, tail))
        return refuse(request, MHD_HTTP_NOT_FOUND, "there is no such place");
    g_autofree char *name = g_strndup(request->rest, strlen(request->rest) - strlen(tail));
    g_autofree char *text = shelf_licence(request->server->shelf, name, digest), *said = form_value(request, "sha256");
    g_autofree char *account = signed_in(request, &sent);
    if (!account)
        return sent;
    if (!text)
        return refuse(request, MHD_HTTP_NOT_FOUND, "there is no such licence text");
    if (!said || strcmp(said, digest))
        return refuse(request, MHD_HTTP_CONFLICT, "the licence text is another one by now");
    if (accounts_accept(request->server->accounts, account, digest, NULL))
        return refuse(request, MHD_HTTP_INTERNAL_SERVER_ERROR, "this cannot be kept");
    return send_response(request, MHD_HTTP_NO_CONTENT,
                         MHD_create_response_from_buffer(0, (void *)"", MHD_RESPMEM_PERSISTENT));
}

/* Whether the depot offers COMPONENT, as a package or in an SDK. */
static bool offers_component(const struct shelf *shelf, const char *component) {
    for (size_t i = 0; i < shelf->offers.count; ++i) {
        const struct package *package = &shelf->offers.items[i].package;
        if (package->kind == PACKAGE_COMPONENT && !strcmp(package->package, component))
            return true;
        for (size_t k = 0; package->kind == PACKAGE_SDK && k < package->provides.count; ++k)
            if (!strcmp(package->provides.items[k], component))
                return true;
    }
    return false;
}

/* A licence to try a component, for the publishers whose private keys the depot was given. */
static enum MHD_Result give_evaluation(struct request *request) {
    enum { EVALUATION_S = 30 * 86400 };
    struct server *server = request->server;
    enum MHD_Result sent = MHD_NO;
    g_autofree char *component = form_value(request, "component"), *publisher = form_value(request, "publisher");
    g_autofree char *account = signed_in(request, &sent), *text = NULL;
    if (!account)
        return sent;
    g_autofree char *key = g_strdup_printf("%s/evaluations/%s.key", server->shelf->folder, publisher ? publisher : "");
    if (!component || !publisher || !text_is_name(publisher) || !offers_component(server->shelf, component) ||
        !g_file_test(key, G_FILE_TEST_IS_REGULAR))
        return refuse(request, MHD_HTTP_NOT_FOUND, "nobody licenses this here");
    struct token token = {.issuer = publisher,
                          .subject = account,
                          .component = component,
                          .issued = (int64_t)time(NULL),
                          .not_before = (int64_t)time(NULL),
                          .expires = (int64_t)time(NULL) + EVALUATION_S};
    if (token_sign(&token, key, &text, NULL))
        return refuse(request, MHD_HTTP_INTERNAL_SERVER_ERROR, "the licence cannot be signed");
    return send_text(request, MHD_HTTP_OK, "application/jwt", text);
}

/* Packages. */

/* "bytes=500-" or "bytes=500-999" of SIZE; false when it is no such range. */
static bool read_range(const char *text, uint64_t size, uint64_t *first, uint64_t *last) {
    char *end;
    if (strncmp(text, "bytes=", 6) || !g_ascii_isdigit(text[6]))
        return false;
    *first = g_ascii_strtoull(text + 6, &end, 10);
    if (*end++ != '-')
        return false;
    *last = g_ascii_isdigit(*end) ? g_ascii_strtoull(end, &end, 10) : size - 1;
    *last = MIN(*last, size - 1);
    return !*end && *first <= *last;
}

/* A download that goes wrong on purpose: it breaks off when nothing is LEFT of what is to come, or it is slow. */
struct rehearsed {
    int file;
    uint64_t from, left;
    unsigned kib_per_s; /* 0: as fast as it goes */
};

static ssize_t read_rehearsed(void *with, uint64_t at, char *bytes, size_t size) {
    enum { STEPS_PER_S = 20 };
    struct rehearsed *file = with;
    if (at >= file->left)
        return MHD_CONTENT_READER_END_WITH_ERROR;
    size = MIN(size, file->left - at);
    if (file->kib_per_s) {
        size = MIN(size, (size_t)file->kib_per_s * 1024 / STEPS_PER_S + 1);
        g_usleep(G_USEC_PER_SEC / STEPS_PER_S);
    }
    ssize_t length = pread(file->file, bytes, size, (off_t)(file->from + at));
    return length > 0 ? length : MHD_CONTENT_READER_END_WITH_ERROR;
}

static void free_rehearsed(void *with) {
    close(((struct rehearsed *)with)->file);
    g_free(with);
}

/* LENGTH bytes of FILE, which the response closes, from FIRST on. */
static struct MHD_Response *file_response(struct server *server, int file, uint64_t first, uint64_t length) {
    const struct rehearsal *rehearsal = &server->rehearsal;
    g_mutex_lock(&server->lock);
    double share =
        rehearsal->cut ? g_rand_double_range(server->random, 0, 1.25) : 1; /* now and then the whole of it comes */
    g_mutex_unlock(&server->lock);
    if (share >= 1 && !rehearsal->kib_per_s)
        return MHD_create_response_from_fd_at_offset64(length, file, first);
    struct rehearsed *all = g_new(struct rehearsed, 1);
    *all =
        (struct rehearsed){file, first, share < 1 ? (uint64_t)((double)length * share) : length, rehearsal->kib_per_s};
    return MHD_create_response_from_callback(length, 65536, read_rehearsed, all, free_rehearsed);
}

static enum MHD_Result give_package(struct request *request) {
    struct server *server = request->server;
    const struct offer *offer = shelf_offer(server->shelf, request->rest);
    enum MHD_Result sent = MHD_NO;
    if (!offer)
        return refuse(request, MHD_HTTP_NOT_FOUND, "there is no such package");
    if (offer->package.accept) {
        g_autofree char *account = signed_in(request, &sent);
        if (!account)
            return sent;
        if (!accounts_accepted(server->accounts, account, offer->accept_sha256))
            return refuse(request, MHD_HTTP_FORBIDDEN, "the package's licence is not accepted yet");
    }
    g_autofree char *path = g_strdup_printf("%s/packages/%s", server->shelf->folder, request->rest);
    g_autofree char *etag = g_strdup_printf("\"%s\"", offer->sha256);
    int file;
    off_t size = file_open(path, &file, NULL) ? -1 : lseek(file, 0, SEEK_END);
    if (size < 0)
        return refuse(request, MHD_HTTP_NOT_FOUND, "the package is gone");
    const char *range = header(request, "Range"), *of = header(request, "If-Range");
    uint64_t first = 0, last = size ? (uint64_t)size - 1 : 0;
    bool part = range && (!of || !strcmp(of, etag));
    if (part && !read_range(range, (uint64_t)size, &first, &last)) {
        close(file);
        return refuse(request, MHD_HTTP_RANGE_NOT_SATISFIABLE, "the package has no such range");
    }
    struct MHD_Response *response = file_response(server, file, first, size ? last - first + 1 : 0);
    g_autofree char *content =
        g_strdup_printf("bytes %" G_GUINT64_FORMAT "-%" G_GUINT64_FORMAT "/%lld", first, last, (long long)size);
    MHD_add_response_header(response, "ETag", etag);
    MHD_add_response_header(response, "Accept-Ranges", "bytes");
    MHD_add_response_header(response, "Content-Type", "application/gzip");
    if (part)
        MHD_add_response_header(response, "Content-Range", content);
    return send_response(request, part ? MHD_HTTP_PARTIAL_CONTENT : MHD_HTTP_OK, response);
}

/* The longest head that fits decides. */
static const struct route {
    const char *method, *head;
    bool has_rest;
    enum MHD_Result (*answer)(struct request *request);
} routes[] = {
    {"GET", "/v1/index", false, give_index},         {"GET", "/v1/search", false, give_matches},
    {"GET", "/v1/packages/", true, give_package},    {"GET", "/v1/licences/", true, give_licence},
    {"POST", "/v1/sign-in", false, sign_in},         {"POST", "/v1/evaluations", false, give_evaluation},
    {"POST", "/v1/licences/", true, accept_licence},
};

static enum MHD_Result answer(struct request *request, const char *method, const char *url) {
    bool known = false;
    if (request->server->rehearsal.delay_ms)
        g_usleep((gulong)request->server->rehearsal.delay_ms * 1000);
    for (size_t i = 0; i < G_N_ELEMENTS(routes); ++i) {
        const struct route *route = &routes[i];
        if (route->has_rest ? !g_str_has_prefix(url, route->head) : strcmp(url, route->head) != 0)
            continue;
        known = true;
        request->rest = url + strlen(route->head);
        if (!strcmp(route->method, method))
            return route->answer(request);
    }
    return known ? refuse(request, MHD_HTTP_METHOD_NOT_ALLOWED, "this place takes another method")
                 : refuse(request, MHD_HTTP_NOT_FOUND, "there is no such place");
}

static struct waiting *waiting_of(struct MHD_Connection *connection) {
    return MHD_get_connection_info(connection, MHD_CONNECTION_INFO_SOCKET_CONTEXT)->socket_context;
}

static void come_or_go(void *with, struct MHD_Connection *connection, void **state,
                       enum MHD_ConnectionNotificationCode what) {
    const struct server *server = with;
    if (what == MHD_CONNECTION_NOTIFY_STARTED)
        *state = waiting_begin(server->patience,
                               MHD_get_connection_info(connection, MHD_CONNECTION_INFO_CONNECTION_FD)->connect_fd);
    else
        waiting_end(*state);
}

/* Called once for the head, for each piece of the body, and at its end. */
static enum MHD_Result handle(void *with, struct MHD_Connection *connection, const char *url, const char *method,
                              const char *version, const char *data, size_t *size, void **state) {
    struct request *request = *state;
    (void)version;
    if (!request) {
        request = g_new0(struct request, 1);
        *request = (struct request){.server = with, .connection = connection, .body = g_string_new(NULL)};
        *state = request;
        return MHD_YES;
    }
    if (*size) {
        if (request->body->len + *size <= BODY_BYTES)
            g_string_append_len(request->body, data, (gssize)*size);
        *size = 0;
        return MHD_YES;
    }
    waiting_has_time(waiting_of(connection), true);
    return answer(request, method, url);
}

static void finish(void *with, struct MHD_Connection *connection, void **state,
                   enum MHD_RequestTerminationCode reason) {
    struct request *request = *state;
    (void)with;
    (void)reason;
    if (!request)
        return;
    waiting_has_time(waiting_of(connection), false);
    memset(request->body->str, 0, request->body->len); /* it may have been a password */
    g_string_free(request->body, TRUE);
    g_free(request);
    *state = NULL;
}

enum ta_status server_start(struct shelf *shelf, struct accounts *accounts, const char *address, unsigned *port,
                            int64_t token_lifetime_s, const struct rehearsal *rehearsal, struct server **result,
                            struct ta_problem *why) {
    struct sockaddr_in where = {.sin_family = AF_INET, .sin_port = htons((uint16_t)*port)};
    if (inet_pton(AF_INET, address, &where.sin_addr) != 1)
        return ta_problem_set(why, TA_E_USAGE, "write for example 127.0.0.1", "%s is not an IPv4 address", address);
    struct server *server = g_new0(struct server, 1);
    *server = (struct server){.shelf = shelf,
                              .accounts = accounts,
                              .token_lifetime_s = token_lifetime_s,
                              .rehearsal = *rehearsal,
                              .random = g_rand_new_with_seed(rehearsal->cut)};
    g_mutex_init(&server->lock);
    server->patience = patience_new(REQUEST_S);
    server->daemon = MHD_start_daemon(
        MHD_USE_AUTO_INTERNAL_THREAD, (uint16_t)*port, NULL, NULL, handle, server, MHD_OPTION_SOCK_ADDR, &where,
        MHD_OPTION_THREAD_POOL_SIZE, (unsigned)THREADS, MHD_OPTION_CONNECTION_LIMIT, (unsigned)CONNECTIONS,
        MHD_OPTION_PER_IP_CONNECTION_LIMIT, (unsigned)CONNECTIONS_OF_ONE, MHD_OPTION_NOTIFY_CONNECTION, come_or_go,
        server, MHD_OPTION_CONNECTION_TIMEOUT, 60u, MHD_OPTION_NOTIFY_COMPLETED, finish, NULL, MHD_OPTION_END);
    *result = server;
    if (!server->daemon) {
        enum ta_status status = ta_problem_set(why, TA_E_SYSTEM, "choose another port", "cannot serve on %s:%u: %s",
                                               address, *port, g_strerror(errno));
        server_stop(server);
        *result = NULL;
        return status;
    }
    *port = MHD_get_daemon_info(server->daemon, MHD_DAEMON_INFO_BIND_PORT)->port;
    return TA_OK;
}

void server_stop(struct server *server) {
    if (server->daemon)
        MHD_stop_daemon(server->daemon);
    patience_free(server->patience);
    g_rand_free(server->random);
    g_mutex_clear(&server->lock);
    g_free(server);
}
