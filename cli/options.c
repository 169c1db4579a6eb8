#include "cli/options.h"

#include <string.h>

#define TO(member) offsetof(struct options, member)
#define FLAG(name, letter, member, help)                                                                               \
    { name, letter, G_OPTION_ARG_NONE, TO(member), NULL, help, SOURCE_NONE, NULL, false }
#define TEXT(name, member, argument, help, source, words)                                                              \
    { name, 0, G_OPTION_ARG_STRING, TO(member), argument, help, source, words, false }
#define PATH(name, letter, member, argument, help)                                                                     \
    { name, letter, G_OPTION_ARG_FILENAME, TO(member), argument, help, SOURCE_FILES, NULL, false }
#define TEXTS(name, member, argument, help, source)                                                                    \
    { name, 0, G_OPTION_ARG_STRING_ARRAY, TO(member), argument, help, source, NULL, false }

#define OPTIONAL(name, member, argument, help)                                                                         \
    { name, 0, G_OPTION_ARG_FILENAME, TO(member), argument, help, SOURCE_FILES, NULL, true }

const struct option all_options[] = {
    PATH("directory", 'C', folder, "FOLDER", "work in FOLDER instead of the current folder"),
    FLAG("json", 0, json, "answer with one JSON document; see docs/json.md"),
    FLAG("quiet", 'q', quiet, "print only warnings and problems"),
    FLAG("help", 'h', help, "show help"),
    FLAG("version", 0, version, "show the version"),

    TEXT("kind", kind, "KIND", "list only this kind of package", SOURCE_NONE,
         "example sdk component board emulator platform"),
    TEXT("board", board, "PROFILE", "list only examples that fit this board", SOURCE_PROFILES, NULL),
    TEXT("component", component, "NAME", "list only what needs or provides this component", SOURCE_COMPONENTS, NULL),
    PATH("key", 0, key, "FILE", "sign the package with this Ed25519 key"),
    TEXT("accept", accept, "NAME", "the licence text that users of a depot must accept first", SOURCE_NONE, NULL),
    TEXT("account", account, "NAME", "the account to sign in with", SOURCE_NONE, NULL),
    FLAG("first", 0, first, "ask this place before all others"),

    TEXT("ref", ref, "NAME", "the branch or tag of a git repository", SOURCE_NONE, NULL),
    PATH("subfolder", 0, subfolder, "PATH", "where in the source the project is"),
    FLAG("in-place", 0, in_place, "use the folder where it is and copy nothing; it may read files outside itself"),
    FLAG("gather", 0, gather, "copy in files that the manifest and #include lines name outside the folder"),
    FLAG("anyway", 0, anyway, "go on in spite of problems"),
    FLAG("yes", 'y', yes, "fetch what is needed without asking"),

    TEXT("sdk", sdk, "NAME[@VERSION]", "the SDK, for example strand@2.1.0", SOURCE_SDKS, NULL),
    TEXT("compiler", compiler, "NAME[@VERSION]", "the compiler: gcc or clang", SOURCE_NONE, "gcc clang"),
    TEXT("target", target, "NAME", "a target on the bench, or a profile to make one from", SOURCE_TARGETS, NULL),
    TEXT("optimise", optimise, "GOAL", "optimise for size, speed, debug or nothing", SOURCE_NONE,
         "size speed debug nothing"),
    TEXT("launcher", launcher, "NAME", "what stands in front of the compiler: ccache, distcc or none", SOURCE_NONE,
         "ccache distcc none"),
    TEXTS("with", with, "NAME[@VERSION]", "add a component", SOURCE_COMPONENTS),
    TEXTS("without", without, "NAME", "leave a component out", SOURCE_COMPONENTS),
    TEXTS("setting", settings, "NAME=VALUE", "set a value in settings.env", SOURCE_SETTINGS),
    TEXT("stack", stack, "SIZE", "the stack's size, for example 4KiB; \"default\" for the SDK's own", SOURCE_NONE,
         "default"),
    TEXT("heap", heap, "SIZE", "the least heap that must be left; \"default\" for none", SOURCE_NONE, "default"),
    TEXT("clock", clock, "FREQUENCY", "one of the board's clocks, for example 8MHz; \"default\" for its own",
         SOURCE_NONE, "default"),
    TEXT("console-speed", console_speed, "BAUD", "the console's speed, for example 9600; \"default\" for 115200",
         SOURCE_NONE, "default 9600 19200 38400 57600 115200"),
    FLAG("list", 0, list, "list what there is to choose from"),
    FLAG("show", 0, show, "show the setup"),
    FLAG("diff", 0, diff, "compare the setup with the one that was verified last"),
    FLAG("back", 0, back, "return to the setup that was verified last"),

    FLAG("fix", 0, fix, "first repair what is safe to repair"),
    TEXT("edited", edited, "WHAT", "generated files that you edited: keep a copy, or restore them", SOURCE_NONE,
         "keep restore"),
    TEXT("clean", clean, "WHAT", "first remove what builds of this setup left, or those of all setups", SOURCE_NONE,
         "setup all"),
    TEXT("jobs", jobs, "NUMBER", "run this many compilers at once", SOURCE_NONE, NULL),
    FLAG("keep-going", 0, keep_going, "compile the rest when one source fails"),
    FLAG("no-cache", 0, no_cache, "take no object that was compiled before, and keep none"),
    {"form", 0, G_OPTION_ARG_STRING_ARRAY, TO(form), "FORM",
     "write the image in this form, too: elf, hex, srec, bin or card", SOURCE_NONE, "elf hex srec bin card", false},
    OPTIONAL("plan", plan, "FILE.png", "show what would be done and why; with a file, draw it"),

    FLAG("files", 0, files, "list the files and where they come from"),

    OPTIONAL("memory", memory, "FILE.png",
             "show what the image takes of each memory, and what changed; with a file, draw it"),
    PATH("bill", 0, bill, "FILE", "write the bill of materials: SPDX 2.3 as JSON"),

    FLAG("lamps", 0, lamps, "show what the target's lamps showed when its last run ended"),
    PATH("screen", 0, screen, "FILE.png",
         "write what the screen shows when the run ends; with show, when the last run ended"),
    TEXTS("input", inputs, "NAME=VALUE",
          "what a sensor senses ('heading=90 deg'), a held button (=1), a finger (touch=120,80)", SOURCE_NONE),

    FLAG("as-is", 0, as_is, "use what is there; do not build or deploy"),
    FLAG("watch", 0, watch, "do it again whenever you save a file that matters; Ctrl-C ends it"),
    FLAG("plain", 0, plain, "show the console alone, as lines, and not the board beneath it"),
    TEXT("for", for_text, "TIME", "stop after this device time, for example 3s", SOURCE_NONE, NULL),
    TEXT("pace", pace, "PACE", "board: as fast as the board (default); full: as fast as possible (default with --for)",
         SOURCE_NONE, "board full"),
    FLAG("line", 0, line, "send what you type line by line, not key by key"),
    TEXT("profile", profile, "NAME-or-FILE", "the board's profile", SOURCE_PROFILES, NULL),
    FLAG("no-semihosting", 0, no_semihosting, "leave semihosting calls unanswered"),
    TEXTS("set", set, "KEY=VALUE", "a key of the profile that differs on this target, such as memory.ram.size=32KiB",
          SOURCE_NONE),
    FLAG("markdown", 0, markdown, "print the reference of all commands in Markdown"),
    {NULL, 0, G_OPTION_ARG_NONE, 0, NULL, NULL, SOURCE_NONE, NULL, false},
};

const struct option *option_find(const char *name) {
    for (const struct option *option = all_options; option->name; ++option)
        if (!strcmp(option->name, name))
            return option;
    return NULL;
}

const struct option *option_awaits_value(const char *argument) {
    for (const struct option *option = all_options; option->name; ++option)
        if (option->kind != G_OPTION_ARG_NONE && !option->is_optional && argument[0] == '-' &&
            (argument[1] == '-' ? !strcmp(argument + 2, option->name)
                                : option->letter && argument[1] == option->letter && !argument[2]))
            return option;
    return NULL;
}

bool words_hold(const char *words, const char *name) {
    size_t length = strlen(name);
    for (const char *at = words; at && (at = strstr(at, name)); ++at)
        if ((at == words || at[-1] == ' ') && (at[length] == ' ' || !at[length]))
            return length > 0;
    return false;
}

bool option_is_given(const struct options *options, const struct option *option) {
    const char *member = (const char *)options + option->offset;
    return option->kind == G_OPTION_ARG_NONE ? *(const gboolean *)(const void *)member
                                             : *(void *const *)(const void *)member != NULL;
}

void options_clear(struct options *options) {
    for (const struct option *option = all_options; option->name; ++option) {
        void **member = (void **)(void *)((char *)options + option->offset);
        if (option->kind == G_OPTION_ARG_STRING_ARRAY)
            g_strfreev(*member);
        else if (option->kind != G_OPTION_ARG_NONE)
            g_free(*member);
    }
    g_strfreev(options->rest);
    memset(options, 0, sizeof *options);
}
