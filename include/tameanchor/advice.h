/* Advice: what to do about a problem, or next. The library says it as text in which actions of its own stand in braces, an
   argument behind the action's name: "add the file, then {build}", "{fetch surge@1.0.0}". Whoever shows it puts each action into
   the words of their own commands or buttons. */
#ifndef TAMEANCHOR_ADVICE_H
#define TAMEANCHOR_ADVICE_H

#include "tameanchor/status.h"

#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Every action that advice may name, and the call that does it. */
#define TA_ACTION_TABLE(X)                                                                                             \
    X(TA_ACTION_IMPORT, "import")                   /* ta_import: its source */                                        \
    X(TA_ACTION_CONFIGURE, "configure")             /* ta_configure, as it stands */                                   \
    X(TA_ACTION_CHOOSE_TARGET, "target")            /* its target */                                                   \
    X(TA_ACTION_CHOOSE_SETTING, "setting")          /* a setting: "NAME=VALUE" */                                      \
    X(TA_ACTION_CHOOSE_COMPONENT, "with")           /* a component more */                                             \
    X(TA_ACTION_COMPARE, "compare")                 /* ta_configure_look, TA_SETUP_DIFF */                             \
    X(TA_ACTION_BACK, "back")                       /* ta_configure_look, TA_SETUP_BACK */                             \
    X(TA_ACTION_READY, "ready")                     /* ta_ready */                                                     \
    X(TA_ACTION_MEND, "mend")                       /* ta_ready with FIX */                                            \
    X(TA_ACTION_BUILD, "build")                     /* ta_build */                                                     \
    X(TA_ACTION_KEEP_EDITS, "keep-edits")           /* ta_build, TA_EDITS_KEPT_ASIDE */                                \
    X(TA_ACTION_LOSE_EDITS, "lose-edits")           /* ta_build, TA_EDITS_LOST */                                      \
    X(TA_ACTION_DEPLOY, "deploy")                   /* ta_deploy */                                                    \
    X(TA_ACTION_RUN, "run")                         /* ta_run */                                                       \
    X(TA_ACTION_RUN_ON, "run-on")                   /* ta_run: an image, with a profile or a target */                 \
    X(TA_ACTION_VERIFY, "verify")                   /* ta_verify */                                                    \
    X(TA_ACTION_LIST, "list")                       /* ta_catalog; a kind */                                           \
    X(TA_ACTION_SHOW, "show")                       /* ta_catalog_show */                                              \
    X(TA_ACTION_FETCH, "fetch")                     /* ta_package_add: a name, or a file */                            \
    X(TA_ACTION_REMOVE, "remove")                   /* ta_package_remove */                                            \
    X(TA_ACTION_REMOVE_ANYWAY, "remove-anyway")     /* the same, whoever uses it */                                    \
    X(TA_ACTION_USE_PLACE, "use")                   /* ta_catalog_place */                                             \
    X(TA_ACTION_FORGET_PLACE, "forget")             /* ta_catalog_place, TA_PLACE_FORGET */                            \
    X(TA_ACTION_PLACES, "places")                   /* ta_catalog_places */                                            \
    X(TA_ACTION_AGREE, "agree")                     /* the same again, with a context that agrees */                   \
    X(TA_ACTION_SIGN_IN, "sign-in")                 /* ta_sign_in: a depot */                                          \
    X(TA_ACTION_ACCEPT, "accept")                   /* ta_licence_accept */                                            \
    X(TA_ACTION_TRUST, "trust")                     /* ta_publisher_trust */                                           \
    X(TA_ACTION_EVALUATE, "evaluate")               /* ta_licence_evaluate */                                          \
    X(TA_ACTION_ADD_TARGET, "add-target")           /* ta_bench_add: a profile */                                      \
    X(TA_ACTION_SHOW_TARGET, "show-target")         /* ta_bench_show */                                                \
    X(TA_ACTION_REMOVE_TARGET, "remove-target")     /* ta_bench_remove */                                              \
    X(TA_ACTION_SWITCH, "switch")                   /* ta_bench_switch: "NAME SWITCH=POSITION" */                      \
    X(TA_ACTION_CARD_IN, "card-in")                 /* ta_bench_card_in: a target, a file */                           \
    X(TA_ACTION_OPTION, "option")                   /* no call but a field of its request: "sdk", "in-place" */        \
    X(TA_ACTION_IMPORT_IN_PLACE, "import-in-place") /* ta_import with in_place: the folder */                          \
    X(TA_ACTION_ENTER, "enter")                     /* no call: go to the folder */                                    \
    X(TA_ACTION_EMPTY_TARGET, "empty-target")       /* ta_bench_factory */

enum ta_action {
#define TA_ACTION_ENUM(name, text) name,
    TA_ACTION_TABLE(TA_ACTION_ENUM)
#undef TA_ACTION_ENUM
};

/* Puts ACTION with its ARGUMENT (never null, may be empty) into words: at most SIZE bytes with the zero into BUFFER. */
typedef void ta_action_words(void *with, enum ta_action action, const char *argument, char *buffer, size_t size);

/* ADVICE with WORDS for its actions, at most SIZE bytes with the zero into BUFFER, which is returned. What stands in braces
   and is no action stays as it is. */
const char *ta_advice_text(const char *advice, ta_action_words *words, void *with, char *buffer, size_t size);

#ifdef __cplusplus
}
#endif
#endif
