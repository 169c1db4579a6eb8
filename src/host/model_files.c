#include "host/model_files.h"
#include "core/plan/fabric.h"

#include "base/text.h"
#include "base/units.h"
#include "host/files.h"
#include "host/memory.h"
#include "host/schema.h"

#include <stdio.h>

/* Rows of the tables below: key, kind, member of the struct named by MODEL. */
#define AT(k, f, member)                                                                                               \
    { .key = k, .kind = f, .offset = offsetof(MODEL, member) }
#define REQUIRED(k, f, member)                                                                                         \
    { .key = k, .kind = f, .offset = offsetof(MODEL, member), .required = true }
#define WORD(k, f, member, words)                                                                                      \
    { .key = k, .kind = f, .offset = offsetof(MODEL, member), .required = true, .choices = words }
#define NESTED(k, f, member, inner)                                                                                    \
    { .key = k, .kind = f, .offset = offsetof(MODEL, member), .required = true, .shape = inner }
#define END                                                                                                            \
    { .offset = sizeof(MODEL) }
#define ABOUT AT("title", FIELD_TEXT, title), AT("summary", FIELD_TEXT, summary), AT("licence", FIELD_TEXT, licence)

/* anchor.yaml */
#define MODEL struct project_needs
static const struct field needs_shape[] = {
    REQUIRED("sdk", FIELD_RANGES, sdk),
    AT("components", FIELD_RANGES, components),
    AT("compilers", FIELD_RANGES, compilers),
    AT("platform", FIELD_RANGES, platform),
    AT("board", FIELD_TEXTS, board),
    AT("state", FIELD_WORDS, state),
    END,
};
static const struct field package_needs_shape[] = {
    AT("sdk", FIELD_RANGES, sdk),
    AT("components", FIELD_RANGES, components),
    AT("compilers", FIELD_RANGES, compilers),
    AT("platform", FIELD_RANGES, platform),
    AT("board", FIELD_TEXTS, board),
    END,
};
#undef MODEL
#define MODEL struct setting
static const struct field setting_shape[] = {
    WORD("kind", FIELD_ENUM, kind, setting_words),
    AT("ask", FIELD_TEXT, ask),
    AT("pattern", FIELD_TEXT, pattern),
    AT("example", FIELD_TEXT, example),
    AT("default", FIELD_TEXT, fallback),
    AT("choices", FIELD_TEXTS, choices),
    AT("minimum", FIELD_WHOLE, minimum),
    AT("maximum", FIELD_WHOLE, maximum),
    END,
};
#undef MODEL
#define MODEL struct project_image
static const struct field project_image_shape[] = {
    AT("harts", FIELD_NAME, harts),
    REQUIRED("sources", FIELD_TEXTS, sources),
    AT("include", FIELD_TEXTS, include),
    AT("defines", FIELD_TEXTS, defines),
    END,
};
#undef MODEL
#define MODEL struct project
static const struct field project_shape[] = {
    AT("format", FIELD_FORMAT, format),
    REQUIRED("project", FIELD_NAME, project),
    REQUIRED("version", FIELD_VERSION, version),
    REQUIRED("title", FIELD_TEXT, title),
    AT("summary", FIELD_TEXT, summary),
    AT("licence", FIELD_TEXT, licence),
    NESTED("needs", FIELD_GROUP, needs, needs_shape),
    AT("sources", FIELD_TEXTS, sources),
    AT("include", FIELD_TEXTS, include),
    AT("defines", FIELD_TEXTS, defines),
    AT("assets", FIELD_TEXTS, assets),
    AT("fabric", FIELD_TEXT, fabric),
    AT("trials", FIELD_TEXTS, trials),
    AT("docs", FIELD_TEXTS, docs),
    {.key = "settings", .kind = FIELD_NAMED, .offset = offsetof(MODEL, settings), .shape = setting_shape},
    {.key = "images", .kind = FIELD_NAMED, .offset = offsetof(MODEL, images), .shape = project_image_shape},
    END,
};
#undef MODEL

/* A fabric's description. */
#define MODEL struct fabric_block_description
static const struct field fabric_block_shape[] = {
    WORD("kind", FIELD_ENUM, kind, fabric_kind_words),
    REQUIRED("at", FIELD_WHOLE, at),
    AT("rate", FIELD_FREQUENCY, rate_hz),
    {.key = "count", .kind = FIELD_COUNT, .offset = offsetof(MODEL, count), .maximum = 256},
    END,
};
#undef MODEL
#define MODEL struct fabric_description
static const struct field fabric_shape[] = {
    REQUIRED("fabric", FIELD_NAME, fabric),
    REQUIRED("version", FIELD_VERSION, version),
    AT("title", FIELD_TEXT, title),
    NESTED("blocks", FIELD_NAMED, blocks, fabric_block_shape),
    END,
};
#undef MODEL

/* setup.yaml */
#define MODEL struct setup
static const struct field setup_shape[] = {
    REQUIRED("sdk", FIELD_NAME, sdk),
    REQUIRED("sdk-version", FIELD_VERSION, sdk_version),
    REQUIRED("components", FIELD_PINS, components),
    WORD("compiler", FIELD_ENUM, compiler, compiler_words),
    REQUIRED("compiler-version", FIELD_VERSION, compiler_version),
    REQUIRED("target", FIELD_NAME, target),
    REQUIRED("profile", FIELD_NAME, profile),
    WORD("optimise", FIELD_ENUM, optimise, optimisation_words),
    {.key = "compiler-launcher", .kind = FIELD_ENUM, .offset = offsetof(MODEL, launcher), .choices = launcher_words},
    AT("with", FIELD_RANGES, with),
    AT("without", FIELD_TEXTS, without),
    AT("stack", FIELD_SIZE, options.stack_bytes),
    AT("heap", FIELD_SIZE, options.heap_bytes),
    AT("clock", FIELD_FREQUENCY, options.clock_hz),
    {.key = "console-speed",
     .kind = FIELD_COUNT,
     .offset = offsetof(MODEL, options.console_baud),
     .minimum = 300,
     .maximum = 4000000},
    END,
};
#undef MODEL

/* target.yaml */
#define MODEL struct bench_target
static const char *const switch_words[] = {"on", "off", NULL};
static const struct field bench_target_shape[] = {
    REQUIRED("target", FIELD_NAME, target),
    REQUIRED("profile", FIELD_NAME, profile),
    {.key = "semihosting", .kind = FIELD_TEXT, .offset = offsetof(MODEL, semihosting), .choices = switch_words},
    AT("set", FIELD_WORDS, set),
    AT("state", FIELD_WORDS, state),
    AT("port", FIELD_WORDS, port),
    AT("platform-version", FIELD_VERSION, platform_version),
    END,
};
#undef MODEL

/* sdk.yaml */
#define MODEL struct component
static const struct field sdk_component_shape[] = {
    AT("summary", FIELD_TEXT, summary),
    AT("licensed-by", FIELD_NAME, licensed_by),
    AT("needs", FIELD_RANGES, needs),
    REQUIRED("sources", FIELD_TEXTS, sources),
    AT("include", FIELD_TEXTS, include),
    AT("board", FIELD_TEXTS, board),
    END,
};
static const struct field component_shape[] = {
    REQUIRED("component", FIELD_NAME, name),
    REQUIRED("version", FIELD_VERSION, version),
    ABOUT,
    AT("licensed-by", FIELD_NAME, licensed_by),
    REQUIRED("sdk", FIELD_RANGES, sdk),
    AT("needs", FIELD_RANGES, needs),
    REQUIRED("sources", FIELD_TEXTS, sources),
    AT("include", FIELD_TEXTS, include),
    AT("board", FIELD_TEXTS, board),
    END,
};
#undef MODEL

/* platform.yaml */
#define MODEL struct platform
static const struct field platform_shape[] = {
    REQUIRED("platform", FIELD_NAME, platform),   REQUIRED("version", FIELD_VERSION, version), ABOUT,
    REQUIRED("profiles", FIELD_RANGES, profiles), REQUIRED("image", FIELD_TEXT, image),        END,
};
#undef MODEL
#define MODEL struct sdk
static const struct field sdk_shape[] = {
    REQUIRED("sdk", FIELD_NAME, sdk),
    REQUIRED("version", FIELD_VERSION, version),
    AT("like", FIELD_VERSION, like),
    ABOUT,
    NESTED("components", FIELD_NAMED, components, sdk_component_shape),
    END,
};
#undef MODEL

/* package.yaml */
#define MODEL struct package
static const struct field package_shape[] = {
    AT("format", FIELD_FORMAT, format),
    REQUIRED("package", FIELD_NAME, package),
    WORD("kind", FIELD_ENUM, kind, package_kind_words),
    REQUIRED("version", FIELD_VERSION, version),
    ABOUT,
    {.key = "needs", .kind = FIELD_GROUP, .offset = offsetof(MODEL, needs), .shape = package_needs_shape},
    AT("provides", FIELD_TEXTS, provides),
    AT("size", FIELD_WHOLE, size_bytes),
    AT("accept", FIELD_NAME, accept),
    REQUIRED("files", FIELD_DIGESTS, files),
    END,
};
#undef MODEL

/* Profiles. */
#define MODEL struct ta_memory
static const char *const memory_words[] = {"flash", "ram", NULL};
static const struct field memory_shape[] = {
    WORD("kind", FIELD_ENUM, kind, memory_words),
    REQUIRED("base", FIELD_WHOLE, base),
    REQUIRED("size", FIELD_SIZE, size_bytes),
    END,
};
#undef MODEL
#define MODEL struct ta_device
static const struct field device_shape[] = {
    REQUIRED("model", FIELD_NAME, model),
    AT("base", FIELD_WHOLE, base),
    AT("on", FIELD_NAME, on),
    {.key = "address", .kind = FIELD_COUNT, .offset = offsetof(MODEL, address), .maximum = 0x77},
    {.key = "interrupt", .kind = FIELD_COUNT, .offset = offsetof(MODEL, interrupt), .maximum = 63},
    AT("clock", FIELD_FREQUENCY, clock_hz),
    AT("options", FIELD_NUMBERS, options),
    END,
};
#undef MODEL
#define MODEL struct ta_connector
static const char *const connector_words[] = {"console", "lamps", "button", "screen", "touch",
                                              "sensor",  "usb",   "card",   "radio",  NULL};
static const struct field connector_shape[] = {
    WORD("kind", FIELD_ENUM, kind, connector_words),
    REQUIRED("device", FIELD_TEXT, device),
    {.key = "pin", .kind = FIELD_COUNT, .offset = offsetof(MODEL, pin), .maximum = 63},
    {.key = "count", .kind = FIELD_COUNT, .offset = offsetof(MODEL, count), .minimum = 1, .maximum = 64},
    AT("active-low", FIELD_SWITCH, active_low),
    AT("quantity", FIELD_TEXT, quantity),
    AT("start", FIELD_TEXT, start),
    AT("by", FIELD_TEXT, by),
    AT("when", FIELD_TEXT, when),
    END,
};
#undef MODEL
#define MODEL struct ta_hart_group
static const struct field hart_group_shape[] = {
    {.key = "count", .kind = FIELD_COUNT, .offset = offsetof(MODEL, count), .minimum = 1, .maximum = 8},
    AT("isa", FIELD_TEXT, isa),
    AT("clock", FIELD_FREQUENCY, clock_hz),
    AT("reset", FIELD_WHOLE, reset_address),
    AT("held", FIELD_SWITCH, held),
    AT("image", FIELD_NAME, image),
    END,
};
#undef MODEL
#define MODEL struct ta_timing
#define CYCLES(key_text, field_name)                                                                                   \
    { .key = key_text, .kind = FIELD_COUNT, .offset = offsetof(MODEL, field_name), .maximum = TA_TIMING_MOST }
static const struct field timing_shape[] = {
    CYCLES("load", load),
    CYCLES("store", store),
    CYCLES("multiply", multiply),
    CYCLES("divide", divide),
    CYCLES("taken-branch", taken_branch),
    CYCLES("flash-wait", flash_wait),
    END,
};
#undef CYCLES
#undef MODEL
#define MODEL struct ta_switch
static const struct field switch_shape[] = {
    REQUIRED("positions", FIELD_TEXTS, positions),
    AT("run", FIELD_TEXT, run),
    AT("card", FIELD_TEXT, card),
    AT("reach", FIELD_TEXT, reach),
    END,
};
#undef MODEL
#define MODEL struct ta_profile
static const char *const kind_words[] = {"board", "emulator", NULL};
static const struct field profile_shape[] = {
    REQUIRED("profile", FIELD_NAME, name),
    AT("like", FIELD_NAME, like),
    REQUIRED("version", FIELD_VERSION, version),
    REQUIRED("title", FIELD_TEXT, title),
    AT("summary", FIELD_TEXT, summary),
    WORD("kind", FIELD_ENUM, kind, kind_words),
    REQUIRED("isa", FIELD_TEXT, isa),
    {.key = "harts", .kind = FIELD_NAMED, .offset = offsetof(MODEL, hart_groups), .shape = hart_group_shape},
    REQUIRED("clock", FIELD_FREQUENCY, clock_hz),
    AT("clocks", FIELD_TEXTS, clocks),
    REQUIRED("reset", FIELD_WHOLE, reset_address),
    {.key = "timing", .kind = FIELD_GROUP, .offset = offsetof(MODEL, timing), .shape = timing_shape},
    AT("misaligned", FIELD_SWITCH, misaligned),
    AT("semihosting", FIELD_SWITCH, semihosting),
    NESTED("memory", FIELD_NAMED, memories, memory_shape),
    {.key = "devices", .kind = FIELD_NAMED, .offset = offsetof(MODEL, devices), .shape = device_shape},
    {.key = "connectors", .kind = FIELD_ENTRIES, .offset = offsetof(MODEL, connectors), .shape = connector_shape},
    {.key = "switches", .kind = FIELD_ENTRIES, .offset = offsetof(MODEL, switches), .shape = switch_shape},
    AT("platform", FIELD_NAME, platform),
    AT("platform-range", FIELD_TEXT, platform_range),
    END,
};
#undef MODEL

/* preferences.yaml of a user */
#define MODEL struct preferences
static const struct field preferences_shape[] = {
    AT("archive-size", FIELD_SIZE, archive_bytes),
    {.key = "archive-files", .kind = FIELD_WHOLE, .offset = offsetof(MODEL, archive_files), .minimum = 1},
    AT("compilers", FIELD_TEXTS, compilers),
    {.key = "patience-seconds",
     .kind = FIELD_COUNT,
     .offset = offsetof(MODEL, patience_s),
     .minimum = 1,
     .maximum = 3600},
    {.key = "trial-seconds", .kind = FIELD_COUNT, .offset = offsetof(MODEL, trial_s), .minimum = 1, .maximum = 86400},
    {.key = "compile-seconds",
     .kind = FIELD_COUNT,
     .offset = offsetof(MODEL, compile_s),
     .minimum = 1,
     .maximum = 86400},
    AT("object-cache", FIELD_SIZE, cache_bytes),
    {.key = "transfer-seconds",
     .kind = FIELD_COUNT,
     .offset = offsetof(MODEL, transfer_s),
     .minimum = 1,
     .maximum = 86400},
    {.key = "archive-ratio", .kind = FIELD_WHOLE, .offset = offsetof(MODEL, archive_ratio), .minimum = 1},
    END,
};
#undef MODEL

/* catalogs.yaml, which earlier versions wrote: where packages come from. */
#define MODEL struct texts
static const struct field texts_shape[] = {{.key = "catalogs", .kind = FIELD_TEXTS, .required = true}, END};
#undef MODEL

static enum ta_status check_profile(void *model, struct ta_problem *why) {
    ((struct ta_profile *)model)->struct_version = TA_PROFILE_VERSION;
    return ta_profile_check(model, why);
}

static enum ta_status check_project(void *model, struct ta_problem *why) {
    return project_check(model, why);
}

#define READER(model)                                                                                                  \
    enum ta_status model##_read(const char *path, const char *name, struct arena *arena, struct model *model,          \
                                struct ta_problem *why) {                                                              \
        return schema_read(path, name, model##_shape, arena, model, NULL, why);                                        \
    }
MODEL_FILES(READER)
#undef READER

enum ta_status setup_parse(const char *text, size_t length, const char *name, struct arena *arena, struct setup *setup,
                           struct ta_problem *why) {
    return schema_read_text(text, length, name, setup_shape, arena, setup, NULL, why);
}

/* What its images need of a board stands among the project's needs, too. */
enum ta_status project_read(const char *path, const char *name, struct arena *arena, struct project *project,
                            struct ta_problem *why) {
    enum ta_status status = schema_read(path, name, project_shape, arena, project, check_project, why);
    return status || project_need_harts(project, arena) ? status
                                                        : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
}

static enum ta_status check_fabric(void *model, struct ta_problem *why) {
    struct ta_fabric_image unused;
    return fabric_plan(model, &unused, why);
}

enum ta_status fabric_read_file(const char *path, const char *name, struct arena *arena,
                                struct fabric_description *description, struct ta_problem *why) {
    return schema_read(path, name, fabric_shape, arena, description, check_fabric, why);
}

enum ta_status package_read_text(const char *text, size_t length, const char *name, struct arena *arena,
                                 struct package *package, struct ta_problem *why) {
    return schema_read_text(text, length, name, package_shape, arena, package, NULL, why);
}

enum ta_status profile_read_text(const char *text, size_t length, const char *name, struct arena *arena,
                                 struct ta_profile *profile, struct ta_problem *why) {
    return schema_read_text(text, length, name, profile_shape, arena, profile, check_profile, why);
}

/* What was found elsewhere is placed as if it were found here. */
static enum ta_status keep_problem(void *model, struct ta_problem *why) {
    (void)model;
    return why->status;
}

void profile_locate(const char *text, size_t length, const char *name, struct arena *arena, struct ta_problem *why) {
    struct ta_profile unused;
    schema_read_text(text, length, name, profile_shape, arena, &unused, keep_problem, why);
}

enum ta_status profile_overlay(const char *text, size_t length, const char *name, bool check, struct arena *arena,
                               struct ta_profile *profile, struct ta_problem *why) {
    return schema_overlay(text, length, name, profile_shape, arena, profile, check ? check_profile : NULL, why);
}

/* Writing. All values are names and versions, which need no quotes; versions get them so that YAML 1.1 readers
   see text. */

static enum ta_status write_text(const char *path, struct text *text, struct ta_problem *why) {
    text_or_end(text);
    enum ta_status status = file_write_changed(path, text->bytes, text->length, why);
    text_free(text);
    return status;
}

/* In its base unit: what is read back must be exactly this. */
static void write_option(struct text *text, const char *key, enum unit_kind unit, uint64_t value) {
    if (value)
        text_printf(text, "%s: %llu %s\n", key, (unsigned long long)value, unit == UNIT_SIZE_BYTES ? "B" : "Hz");
}

enum ta_status setup_write(const char *path, const struct setup *setup, struct ta_problem *why) {
    struct text text = {0};
    text_printf(&text,
                "# Written by tanchor configure; small enough to edit.\nsdk: %s\nsdk-version: \"%s\"\ncomponents:%s\n",
                setup->sdk, setup->sdk_version, setup->components.count ? "" : " {}");
    for (size_t i = 0; i < setup->components.count; ++i)
        text_printf(&text, "  %s: \"%s\"\n", setup->components.items[i].name, setup->components.items[i].version);
    text_printf(&text, "compiler: %s\ncompiler-version: \"%s\"\ntarget: %s\nprofile: %s\noptimise: %s\n",
                compiler_words[setup->compiler], setup->compiler_version, setup->target, setup->profile,
                optimisation_words[setup->optimise]);
    if (setup->launcher)
        text_printf(&text, "compiler-launcher: %s\n", launcher_words[setup->launcher]);
    for (size_t i = 0; i < setup->with.count; ++i)
        text_printf(&text, "%s  %s: \"%s\"\n", i ? "" : "with:\n", setup->with.items[i].name,
                    setup->with.items[i].range);
    for (size_t i = 0; i < setup->without.count; ++i)
        text_printf(&text, "%s  - %s\n", i ? "" : "without:\n", setup->without.items[i]);
    write_option(&text, "stack", UNIT_SIZE_BYTES, setup->options.stack_bytes);
    write_option(&text, "heap", UNIT_SIZE_BYTES, setup->options.heap_bytes);
    write_option(&text, "clock", UNIT_FREQUENCY_HZ, setup->options.clock_hz);
    if (setup->options.console_baud)
        text_printf(&text, "console-speed: %u\n", setup->options.console_baud);
    return write_text(path, &text, why);
}

/* Names and values in double quotes: neither holds any (flow/bench.c sees to it). */
static void write_words(struct text *text, const char *key, const struct pairs *words) {
    for (size_t i = 0; i < words->count; ++i)
        text_printf(text, "%s%s  \"%s\": \"%s\"\n", i ? "" : key, i ? "" : ":\n", words->items[i].name,
                    words->items[i].value);
}

enum ta_status bench_target_write(const char *path, const struct bench_target *target, struct ta_problem *why) {
    struct text text = {0};
    text_printf(&text, "target: %s\nprofile: %s\n", target->target, target->profile);
    if (target->semihosting)
        text_printf(&text, "semihosting: %s\n", target->semihosting);
    if (target->platform_version)
        text_printf(&text, "platform-version: \"%s\"\n", target->platform_version);
    write_words(&text, "set", &target->set);
    write_words(&text, "state", &target->state);
    write_words(&text, "port", &target->port);
    return write_text(path, &text, why);
}
