/* The models of what users write: a project's manifest, a setup, an SDK. Profiles have a public header of their own.
   All are plain data, read from YAML by host/model_files.h and kept in an arena. Paths are relative to the file's
   folder. */
#ifndef TA_CORE_MODEL_MODELS_H
#define TA_CORE_MODEL_MODELS_H

#include "base/arena.h"
#include "tameanchor/status.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* A list of texts. */
struct texts {
    const char **items;
    size_t count;
};

/* A name with the range of versions that is wanted of it: "gcc" ">=10". */
struct need {
    const char *name, *range;
};

struct needs {
    struct need *items;
    size_t count;
};

/* A name with the one version that was chosen of it: "tide-table" "1.1.0". */
struct pin {
    const char *name, *version;
};

struct pins {
    struct pin *items;
    size_t count;
};

/* A name with a value that is no version: a switch and its position, a key and what it is set to, a file and its SHA-256. */
struct pair {
    const char *name, *value;
};

struct pairs {
    struct pair *items;
    size_t count;
};

/* What stands beside NAME, or null when it is not among them. */
const char *needs_range(const struct needs *needs, const char *name);
const char *pins_version(const struct pins *pins, const char *name);
const char *pairs_value(const struct pairs *pairs, const char *name);

/* Has VALUE stand beside NAME, in the place of what stood there, in a copy of the pairs in ARENA. False without memory. */
bool pairs_set(struct arena *arena, struct pairs *pairs, const char *name, const char *value);

/* What a package may be: the word in files, the word for people, the folder of a catalog that it lies in and whether that
   folder's entries carry a version ("NAME-VERSION/", else "NAME/" or, of a profile, "NAME.yaml"). */
#define PACKAGE_KIND_TABLE(X)                                                                                          \
    X(PACKAGE_EXAMPLE, "example", "example", "examples", false)                                                        \
    X(PACKAGE_SDK, "sdk", "SDK", "sdk", true)                                                                          \
    X(PACKAGE_COMPONENT, "component", "component", "components", true)                                                 \
    X(PACKAGE_BOARD, "board", "board", "profiles", false)                                                              \
    X(PACKAGE_EMULATOR, "emulator", "emulator", "profiles", false)                                                     \
    X(PACKAGE_PLATFORM, "platform", "platform", "platforms", true)

enum package_kind {
#define PACKAGE_KIND_ENUM(name, word, label, folder, versioned) name,
    PACKAGE_KIND_TABLE(PACKAGE_KIND_ENUM)
#undef PACKAGE_KIND_ENUM
        PACKAGE_KINDS
};
struct package_kind_row {
    const char *word, *label, *folder;
    bool versioned;
};
extern const struct package_kind_row package_kinds[PACKAGE_KINDS];
extern const char *const package_kind_words[]; /* ends with null */

/* The kind that WORD names; PACKAGE_KINDS when it names none. */
enum package_kind package_kind_of(const char *word);
static inline bool package_kind_is_profile(enum package_kind kind) {
    return kind == PACKAGE_BOARD || kind == PACKAGE_EMULATOR;
}

/* A compiler's family, and what it optimises for; their words in files and on the command line, which end with null. */
enum compiler_family { COMPILER_GCC, COMPILER_CLANG, COMPILER_FAMILIES };
enum optimisation { OPTIMISE_SIZE, OPTIMISE_SPEED, OPTIMISE_DEBUG, OPTIMISE_NOTHING, OPTIMISATIONS };

/* What stands in front of compilers: programs that keep, or hand to other computers, what is to be compiled. No others: a setup shall run no
   program that its reader does not know. */
enum launcher { LAUNCHER_NONE, LAUNCHER_CCACHE, LAUNCHER_DISTCC, LAUNCHERS };
extern const char *const compiler_words[], *const optimisation_words[], *const launcher_words[];

/* What a project, or a package, asks for. BOARD lists connectors by name; behind the name of lamps stands how many at
   least. PLATFORM is of emulators: the images that they start from. */
struct project_needs {
    struct needs sdk, compilers, components, platform;
    struct texts board;
    struct pairs state; /* how switches must stand: name and position */
};

enum setting_kind { SETTING_TEXT, SETTING_ID, SETTING_TOKEN, SETTING_NUMBER, SETTING_CHOICE, SETTING_SECRET };
extern const char *const setting_words[];

/* What a project asks its user for; a token is a JWT. ASK says what is wanted, PATTERN is a regular expression for the whole
   value, FALLBACK the value when none is given. */
struct setting {
    const char *name;
    enum setting_kind kind;
    const char *ask, *pattern, *example, *fallback;
    struct texts choices;
    uint64_t minimum, maximum; /* of a number; both 0: any */
};

/* One of several images of a project: the sources that are its own, beside those of the project. HARTS is the group that runs it; null: the
   one of the image's name. */
struct project_image {
    const char *name, *harts;
    struct texts sources, include, defines;
};

/* A fabric's description: blocks at offsets AT of its registers. KIND is a place in fabric_kind_words. */
struct fabric_block_description {
    const char *name;
    unsigned kind;
    uint64_t at, rate_hz;
    unsigned count;
};
extern const char *const fabric_kind_words[];

struct fabric_description {
    const char *fabric, *version, *title;
    struct fabric_block_description *blocks;
    size_t block_count;
};

/* anchor.yaml. FABRIC (may be null) is the description of the logic that goes into the board's fabric. Without IMAGES there is one, for the board's first group of harts. */
struct project {
    const char *project, *version, *title, *summary, *licence;
    struct project_needs needs;
    const char *fabric;
    struct texts sources, include, defines, assets, trials, docs;
    struct setting *settings;
    size_t setting_count;
    struct project_image *images;
    size_t image_count;
    uint64_t format; /* of the file: 0 or 1 */
};

/* What a setup may say of the board; 0 stands for what the profile and the tool say. */
struct board_options {
    uint64_t stack_bytes, heap_bytes; /* the heap's is the least that must be left for it */
    uint64_t clock_hz;
    unsigned console_baud;
};

/* setup.yaml */
struct setup {
    const char *sdk, *sdk_version;
    struct pins components;
    enum compiler_family compiler;
    const char *compiler_version;
    const char *target, *profile;
    enum optimisation optimise;
    enum launcher launcher;
    struct needs with;    /* components that the user wants beside those that are needed */
    struct texts without; /* and those that must not be there */
    struct board_options options;
};

/* target.yaml: a target on the bench. SEMIHOSTING is "on", "off" or null for what the profile says. SET holds keys of the
   profile that differ for this one ("memory.ram.size" "128 KiB"), STATE how its switches stand, "power" among them. */
struct bench_target {
    const char *target, *profile, *semihosting, *platform_version;
    struct pairs set, state, port;
};

/* package.yaml: what a package is, needs and provides, and the SHA-256 of each of its files. PROVIDES lists components of an SDK, connectors of a profile. ACCEPT names the licence text that a depot wants
   accepted before it gives the package away, or is null. SIZE_BYTES is that of all files. */
struct package {
    const char *package;
    enum package_kind kind;
    const char *version, *title, *summary, *licence, *accept;
    struct project_needs needs;
    struct texts provides;
    struct pairs files;
    uint64_t format, size_bytes;
};

/* A package as a catalog offers it: what its package.yaml says without the files, and its archive. PLACE is the depot that
   offers it; ACCEPT_SHA256 the digest of the licence text that package.accept names, or null. */
struct offer {
    struct package package;
    const char *place, *sha256, *accept_sha256;
    uint64_t archive_bytes;
};

/* A component: its own sources and headers, and the components it needs, in ranges. Those of an SDK have its version and
   lie in its folder; one that is a package of its own says for which SDKs it is. Set when it is loaded: ROOTS, the folders
   that its files may lie in, absolute, its own first; of one that a project uses, where each of SOURCES does, and all that there is of
   INCLUDE. BOARD: the connectors that it drives. */
struct component {
    const char *name, *version, *title, *summary, *licence;
    const char *licensed_by; /* the publisher whose licence it takes to use it, or null */
    struct needs needs, sdk;
    struct texts sources, include, board;
    struct texts roots, source_paths, include_paths;
};

/* platform.yaml: the image that an emulator starts from, and the profiles that it is for. */
struct platform {
    const char *platform, *version, *title, *summary, *licence, *image;
    struct needs profiles;
};

/* sdk.yaml. Files that are not in its folder are those of the version LIKE of the same SDK, when that is given. */
struct sdk {
    const char *sdk, *version, *like, *title, *summary, *licence;
    struct component *components;
    size_t component_count;
    struct pairs
        places; /* set when it is loaded: the folders of all components' roots, each once, by their component_origin */
};

/* preferences.yaml: what a user has decided for all projects. 0 stands for what the tool decides. */
struct preferences {
    uint64_t archive_bytes, archive_files, archive_ratio;
    unsigned patience_s;    /* how long a silent depot or another process is waited for */
    unsigned trial_s;       /* how long one trial may take on this computer */
    unsigned transfer_s;    /* how long one transfer from elsewhere may take */
    unsigned compile_s;     /* how long one run of a compiler may take */
    uint64_t cache_bytes;   /* how much the cache of objects may hold */
    struct texts compilers; /* folders that hold compilers, besides PATH */
};

/* The groups of harts that run the images of PROJECT, as people and packages write them among what a board must have: "harts keeper". */
#define HARTS_NEED "harts "
const char *project_image_harts(const struct project_image *image);

/* What can be told from a manifest alone, beside what its schema tells: there are sources, and no two images for one group. */
enum ta_status project_check(const struct project *project, struct ta_problem *why);

/* Adds to what PROJECT needs of its board the groups that run its images; false without memory. */
bool project_need_harts(struct project *project, struct arena *arena);

const struct component *sdk_component(const struct sdk *sdk, const char *name);

/* How people see the folder of a component: named after the SDK, or after a component that is a package of its own. */
const char *component_origin(const struct sdk *sdk, const struct component *component);

/* Whether CONNECTORS ("lamps 8", "button A") have all that is WANTED ("lamps 6": six or more); LACK (may be null) is the first
   that they have not, and how many there are instead (null: there is none at all). */
struct lack {
    const char *wanted, *has;
};
bool connectors_fit(const struct texts *connectors, const struct texts *wanted, struct lack *lack);

#endif
