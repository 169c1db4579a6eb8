/* The models of what users write: a project's manifest, a setup, an SDK. Profiles have a public header of their own.
   All are plain data, read from YAML by host/model_files.h and kept in an arena. Paths are relative to the file's
   folder. */
#ifndef TA_CORE_MODELS_H
#define TA_CORE_MODELS_H

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

/* What a project asks for. BOARD lists connectors by name; behind the name of lamps stands how many at least. */
struct project_needs {
    struct needs sdk, compilers;
    struct texts components, board;
};

/* anchor.yaml */
struct project {
    const char *project, *version, *title, *summary, *licence;
    struct project_needs needs;
    struct texts sources, include, defines, assets, trials, docs;
    uint64_t format; /* of the file: 0 or 1 */
};

/* setup.yaml */
struct setup {
    const char *sdk, *sdk_version;
    struct texts components;
    const char *compiler, *compiler_version;
    const char *target, *profile;
    const char *optimise;
};

/* target.yaml: a target on the bench. SEMIHOSTING is "on", "off" or null for what the profile says. */
struct bench_target {
    const char *target, *profile, *semihosting;
};

/* package.yaml: what a package is, and the SHA-256 of each of its files (a need's range is the digest here). */
struct package {
    const char *package, *kind, *version, *title, *summary, *licence;
    struct needs files;
    uint64_t format;
};

/* A component of an SDK: its own sources and headers, and the components it needs. */
struct component {
    const char *name, *summary;
    struct texts sources, include, needs;
};

/* sdk.yaml */
struct sdk {
    const char *sdk, *version, *title, *summary, *licence;
    struct component *components;
    size_t component_count;
};

const struct component *sdk_component(const struct sdk *sdk, const char *name);

#endif
