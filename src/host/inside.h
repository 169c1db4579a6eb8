/* Paths that stay inside a folder. Where one really leads is the kernel's answer (Linux's openat2), not read from its text:
   chains of links lead elsewhere than their names say. */
#ifndef TA_HOST_INSIDE_H
#define TA_HOST_INSIDE_H

#include "tameanchor/status.h"

#include <stdbool.h>

enum inside {
    INSIDE_FILE,
    INSIDE_FOLDER,
    INSIDE_NOTHING, /* nothing there */
    INSIDE_OTHER,   /* a device, a pipe, a socket, or what cannot be looked at */
    OUTSIDE,        /* an absolute path, or one that leaves the folder on its way, links or not */
};

/* Where PATH, seen from the folder ROOT, leads. */
enum inside inside_look(const char *root, const char *path);

/* Whether the link at PATH leads to a file or folder inside ROOT. One to nothing does when it goes down only: what it would
   lead to may come. */
bool inside_link(const char *root, const char *path);

/* TA_E_INPUT when a link at or below ROOT leads out of ROOT, or something there is neither file, folder nor link. Problems call
   the place NAME. */
enum ta_status inside_check(const char *root, const char *name, struct ta_problem *why);

/* TA_E_INPUT when BELOW, seen from ROOT, is there and is no real folder, or holds a link anywhere: what we write below it
   would land elsewhere. */
enum ta_status inside_check_own(const char *root, const char *below, struct ta_problem *why);

#endif
