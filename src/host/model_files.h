/* The models as YAML files: read by schema, and the setup written. */
#ifndef TA_HOST_MODEL_FILES_H
#define TA_HOST_MODEL_FILES_H

#include "base/arena.h"
#include "core/model/models.h"
#include "tameanchor/profile.h"

/* Each reads the file at PATH into the model; memory from ARENA. NAME stands for the file in problems. */
enum ta_status project_read(const char *path, const char *name, struct arena *arena, struct project *project,
                            struct ta_problem *why);
enum ta_status setup_read(const char *path, const char *name, struct arena *arena, struct setup *setup,
                          struct ta_problem *why);
enum ta_status sdk_read(const char *path, const char *name, struct arena *arena, struct sdk *sdk,
                        struct ta_problem *why);
enum ta_status profile_read_text(const char *text, size_t length, const char *name, struct arena *arena,
                                 struct ta_profile *profile, struct ta_problem *why);
/* TEXT's keys over what PROFILE holds already; with CHECK, the whole is checked then. */
enum ta_status profile_overlay(const char *text, size_t length, const char *name, bool check, struct arena *arena,
                               struct ta_profile *profile, struct ta_problem *why);
enum ta_status bench_target_read(const char *path, const char *name, struct arena *arena, struct bench_target *target,
                                 struct ta_problem *why);

enum ta_status component_read(const char *path, const char *name, struct arena *arena, struct component *component,
                              struct ta_problem *why);
enum ta_status platform_read(const char *path, const char *name, struct arena *arena, struct platform *platform,
                             struct ta_problem *why);
enum ta_status places_file_read(const char *path, struct arena *arena, struct texts *places, struct ta_problem *why);
enum ta_status preferences_read(const char *path, struct arena *arena, struct preferences *preferences,
                                struct ta_problem *why);
enum ta_status package_read(const char *path, const char *name, struct arena *arena, struct package *package,
                            struct ta_problem *why);
enum ta_status package_read_text(const char *text, size_t length, const char *name, struct arena *arena,
                                 struct package *package, struct ta_problem *why);

enum ta_status setup_write(const char *path, const struct setup *setup, struct ta_problem *why);
enum ta_status bench_target_write(const char *path, const struct bench_target *target, struct ta_problem *why);

#endif
