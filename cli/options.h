/* The options of the tool: what each is called, holds and means. */
#ifndef CLI_OPTIONS_H
#define CLI_OPTIONS_H

#include <glib.h>
#include <stdbool.h>
#include <stddef.h>

/* Everything that a command line can say. */
struct options {
    char *folder, *sdk, *compiler, *target, *profile, *optimise, *launcher, *for_text, *pace, *ref, *subfolder, *kind,
        *board, *component, *key, *accept, *account, *stack, *heap, *console_speed, *clock, *edited, *clean, *jobs,
        *plan, *memory, *bill, *screen;
    gboolean json, quiet, help, version, no_semihosting, in_place, gather, anyway, yes, first, fix, list, show, diff,
        back, files, as_is, watch, line, plain, markdown, keep_going, no_cache, lamps;
    char **with, **without, **settings, **set, **form, **inputs, **rest;
};

/* What completes a name or a value: one of a few words, or what the catalog, the bench or the project has. */
enum source {
    SOURCE_NONE,
    SOURCE_FILES,
    SOURCE_EXAMPLES,
    SOURCE_PACKAGES,
    SOURCE_COMPONENTS,
    SOURCE_SDKS,
    SOURCE_PROFILES,
    SOURCE_PLACES,
    SOURCE_TARGETS,
    SOURCE_SWITCHES,
    SOURCE_SETTINGS,
    SOURCE_TRIALS,
    SOURCE_COMMANDS,
};

/* One option: where its value goes in struct options, what its value is called, what it is for. WORDS, apart by blanks, are the
   values that there are, when they are few. One that IS_OPTIONAL may stand without its value, "--plan", and takes it behind a '=' alone. */
struct option {
    const char *name;
    char letter;
    GOptionArg kind;
    size_t offset;
    const char *argument, *help;
    enum source source;
    const char *words;
    bool is_optional;
};

/* Ends with a null name. The first COMMON_OPTIONS are every command's. */
extern const struct option all_options[];
enum { COMMON_OPTIONS = 5 };

/* The option of that name, or null. */
const struct option *option_find(const char *name);

/* The option that ARGUMENT is ("--sdk", "-C") and that takes the word behind it for its value, or null. */
const struct option *option_awaits_value(const char *argument);

/* Whether NAME is one of WORDS, which are apart by blanks. */
bool words_hold(const char *words, const char *name);

/* Whether OPTION was given. */
bool option_is_given(const struct options *options, const struct option *option);

void options_clear(struct options *options);

#endif
