/* The context of all calls: where things are, and how to talk to the caller. One thread uses a context at a time; contexts
   share nothing but the files in their folders, and several processes may use one home.

   What holds for every call of the chain, of catalogs, of the bench and of settings: pointers are not null where nothing else
   is said; CONTEXT, REPORT and requests are the caller's; a request says its own size first ({sizeof request, ...}), so that
   one that was compiled against an older header keeps its meaning; a folder is the project's or one below it; WHY may be null.
   TA_OK, or TA_E_NO when the answer is no (the report's findings say why), or another status with WHY filled. A step that did
   not succeed leaves nothing half written, and can be run again. */
#ifndef TAMEANCHOR_CONTEXT_H
#define TAMEANCHOR_CONTEXT_H

#include "tameanchor/port.h"
#include "tameanchor/report.h"

#ifdef __cplusplus
extern "C" {
#endif

struct ta_context;

/* How far a step is. TOTAL 0: not known; LEFT_S below 0: not known. IN_BYTES: DONE and TOTAL are bytes, else things. Made by the
   library: SIZE_BYTES says how much of it there is. */
struct ta_progress {
    size_t size_bytes;
    const char *what;
    uint64_t done, total;
    bool in_bytes;
    double bytes_per_s, left_s;
};

/* What a caller is asked to agree to. */
enum ta_question { TA_ASK_FETCH, TA_ASK_LICENCE };

/* How the library talks to its caller. Each may be null; all get WITH. */
struct ta_callbacks {
    size_t size_bytes; /* sizeof (struct ta_callbacks) */
    void *with;
    /* Asked now and then; true ends the step with TA_E_INTERRUPTED. */
    bool (*cancelled)(void *with);
    void (*progress)(void *with, const struct ta_progress *progress);
    /* Asked before packages are fetched, and before a licence is accepted, whose text is TEXT (null for fetching). Null
       stands for one that always says no. */
    bool (*agrees)(void *with, enum ta_question question, const char *about, const char *text);
    /* Given what compilers say, whole lines, as soon as one of them ends. */
    void (*compiler_output)(void *with, const char *text);
    bool colour; /* what compilers say comes coloured, as for a terminal: with SGR sequences (ECMA-48) in it */
};

/* Takes the folders from the environment: TANCHOR_CATALOG, folders joined by ":", else the catalog beside the program;
   TANCHOR_HOME, else the XDG base directories. *CONTEXT is the caller's; null after a problem. */
enum ta_status ta_context_new(struct ta_context **context, struct ta_problem *why);
void ta_context_free(struct ta_context *context); /* may be null */

/* Replaces the callbacks, which are copied. TA_E_USAGE when CALLBACKS does not say its size. */
enum ta_status ta_context_listen(struct ta_context *context, const struct ta_callbacks *callbacks,
                                 struct ta_problem *why);

/* A target of the bench that is to be reached. PROFILE, with the target's own keys and the setup's options, stays as it is until the port is
   closed. OPTIONS are what its target.yaml says below `port`, "KEY=VALUE" each; they end with null. */
struct ta_target {
    size_t size_bytes;
    const char *name;
    const struct ta_profile *profile;
    const char *const *options;
};

/* A way to reach targets: those whose target.yaml says `port: {kind: NAME}`. OPEN opens a port to TARGET into PORT (port.h); deploy, run and
   verify go through it, one at a time, and close what they opened. A port of another TA_PORT_VERSION is refused and not touched. */
struct ta_port_kind {
    size_t size_bytes;
    const char *name;
    void *with;
    enum ta_status (*open)(void *with, const struct ta_target *target, struct ta_port *port, struct ta_problem *why);
};

/* Adds KIND, which is copied but for WITH; one of the same name is replaced. "simulated" is there from the beginning, and what a target is
   that says nothing. TA_E_USAGE when KIND has no size or no name. */
enum ta_status ta_context_add_port(struct ta_context *context, const struct ta_port_kind *kind, struct ta_problem *why);

/* Other folders than the environment's: the bundled catalog's, joined by ":" (of one name, the first holds), and the home. Null
   leaves one as it is. */
enum ta_status ta_context_set(struct ta_context *context, const char *catalog, const char *home,
                              struct ta_problem *why);

/* Where the bench and what else lasts is. The context's own, until it is set anew or freed. */
const char *ta_context_home(const struct ta_context *context);

#ifdef __cplusplus
}
#endif
#endif
