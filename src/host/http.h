/* HTTP (RFC 9110) as a client, through libcurl. Only http and https; no redirect is followed. */
#ifndef TA_HOST_HTTP_H
#define TA_HOST_HTTP_H

#include "tameanchor/status.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct http_request {
    const char *url;
    const char *bearer;  /* a token (RFC 6750), or null */
    const char *etag;    /* asks only for what is newer than this, or null */
    const char *body;    /* sent with POST when not null */
    const char *type;    /* of the body; null: a form */
    size_t limit;        /* the answer may be no longer than this */
    int file;            /* where the answer goes, from byte FROM on; below 0: into memory */
    uint64_t from;       /* only what comes behind this many bytes is asked for */
    const char *from_of; /* the entity tag of what they are the beginning of */
    unsigned patience_s; /* how long nothing, or next to nothing, may come */
    unsigned limit_s;    /* how long the whole may take */
    bool (*cancelled)(void *with);
    /* How many bytes are there, of how many (0: not known). May be null, as CANCELLED may be. */
    void (*progress)(void *with, uint64_t done, uint64_t total);
    void *with;
};

/* TEXT and ETAG are the caller's, cleared with http_clear. */
struct http_answer {
    int code; /* 0 when there was none */
    char *text, *etag;
    size_t length;
    bool broken; /* the connection ended before the answer did: asking for the rest may help */
};

/* TA_OK when there was a whole answer, whatever its code; TA_E_SYSTEM when the other side cannot be reached, is too slow,
   breaks off, or sends too much; TA_E_INTERRUPTED. What is in the file stays there. */
enum ta_status http_ask(const struct http_request *request, struct http_answer *answer, struct ta_problem *why);
void http_clear(struct http_answer *answer);

/* TEXT as it may stand in a form or a path; freed with g_free. */
char *http_escape(const char *text);

#endif
