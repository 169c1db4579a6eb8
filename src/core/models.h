/* The models of what users write: a project's manifest, a setup, an SDK. Profiles have a public header of their own.
   All are plain data, read from YAML by host/model_files.h and kept in an arena. Paths are relative to the file's
   folder. */
#ifndef TA_CORE_MODELS_H
#define TA_CORE_MODELS_H

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

/* The range that is wanted of NAME, or null when it is not among them. */
const char *needs_range(const struct needs *needs, const char *name);

/* What a project, or a package, asks for. BOARD lists connectors by name; behind the name of lamps stands how many at
   least. PLATFORM is of emulators: the images that they start from. */
struct project_needs {
    struct needs sdk, compilers, components, platform;
    struct texts board;
    struct needs state; /* how switches must stand: name and position */
};

/* What a project asks its user for: KIND is "text", "id", "token" (a JWT), "number", "choice" or "secret". ASK says what is
   wanted, PATTERN is a regular expression for the whole value, FALLBACK the value when none is given. */
struct setting {
    const char *name, *kind, *ask, *pattern, *example, *fallback;
    struct texts choices;
    uint64_t minimum, maximum; /* of a number; both 0: any */
};

/* anchor.yaml */
struct project {
    const char *project, *version, *title, *summary, *licence;
    struct project_needs needs;
    struct texts sources, include, defines, assets, trials, docs;
    struct setting *settings;
    size_t setting_count;
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
    struct needs components; /* each with its exact version */
    const char *compiler, *compiler_version;
    const char *target, *profile;
    const char *optimise;
    struct needs with;    /* components that the user wants beside those that are needed */
    struct texts without; /* and those that must not be there */
    struct board_options options;
};

/* target.yaml: a target on the bench. SEMIHOSTING is "on", "off" or null for what the profile says. SET holds keys of the
   profile that are other for this one ("memory.ram.size" "128 KiB"), STATE how its switches stand, "power" among them (a
   need's range is the value here). */
struct bench_target {
    const char *target, *profile, *semihosting, *platform_version;
    struct needs set, state;
};

/* package.yaml: what a package is, needs and provides, and the SHA-256 of each of its files (a need's range is the digest
   here). PROVIDES lists components of an SDK, connectors of a profile. ACCEPT names the licence text that a depot wants
   accepted before it gives the package away, or is null. SIZE_BYTES is that of all files. */
struct package {
    const char *package, *kind, *version, *title, *summary, *licence, *accept;
    struct project_needs needs;
    struct texts provides;
    struct needs files;
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
   that its files may lie in, absolute, its own first; where each of SOURCES does; all that there is of INCLUDE. */
struct component {
    const char *name, *version, *title, *summary, *licence;
    const char *licensed_by; /* the publisher whose licence it takes to use it, or null */
    struct needs needs, sdk;
    struct texts sources, include;
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
};

/* catalogs.yaml: where this user's packages come from, in order: "bundled", folders, archives, addresses of depots. */
struct catalogs {
    struct texts places;
};

/* preferences.yaml: what a user has decided for all projects. 0 stands for what the tool decides. */
struct preferences {
    uint64_t archive_bytes, archive_files, archive_ratio;
    unsigned patience_s;    /* how long a silent depot is waited for */
    struct texts compilers; /* folders that hold compilers, besides PATH */
};

const struct component *sdk_component(const struct sdk *sdk, const char *name);

/* How people see the folder of a component: named after the SDK, or after a component that is a package of its own. */
const char *component_origin(const struct sdk *sdk, const struct component *component);

/* Whether CONNECTORS ("lamps 8", "button A") have all that is WANTED ("lamps 6": six or more); *MISSING (may be null) is the
   first that they have not. */
bool connectors_fit(const struct texts *connectors, const struct texts *wanted, const char **missing);

#endif
