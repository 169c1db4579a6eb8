/* The models as YAML files: read by schema, and the setup written. */
#ifndef TA_HOST_MODEL_FILES_H
#define TA_HOST_MODEL_FILES_H

#include "base/arena.h"
#include "core/model/models.h"
#include "tameanchor/profile.h"

/* The models that files hold: each struct has a reader, MODEL_read. The last is catalogs.yaml's. */
#define MODEL_FILES(X) X(setup) X(sdk) X(component) X(platform) X(bench_target) X(package) X(preferences) X(texts)

/* Each reads the file at PATH into the model; memory from ARENA. NAME stands for the file in problems. */
#define MODEL_FILE_READER(model)                                                                                       \
    enum ta_status model##_read(const char *path, const char *name, struct arena *arena, struct model *model,          \
                                struct ta_problem *why);
MODEL_FILES(MODEL_FILE_READER)
MODEL_FILE_READER(project)
#undef MODEL_FILE_READER

/* The same from TEXT, LENGTH bytes that came from elsewhere. */
/* A fabric's description, whose blocks can be. */
enum ta_status fabric_read_file(const char *path, const char *name, struct arena *arena,
                                struct fabric_description *description, struct ta_problem *why);

enum ta_status package_read_text(const char *text, size_t length, const char *name, struct arena *arena,
                                 struct package *package, struct ta_problem *why);
enum ta_status profile_read_text(const char *text, size_t length, const char *name, struct arena *arena,
                                 struct ta_profile *profile, struct ta_problem *why);

/* TEXT's keys over what PROFILE holds already; with CHECK, the whole is checked then. */
enum ta_status profile_overlay(const char *text, size_t length, const char *name, bool check, struct arena *arena,
                               struct ta_profile *profile, struct ta_problem *why);

/* Says where in TEXT, which read well once, the key is that WHY's text starts with ("devices.gpio0: ..."). */
void profile_locate(const char *text, size_t length, const char *name, struct arena *arena, struct ta_problem *why);

/* The same as setup_read for LENGTH bytes of TEXT. */
enum ta_status setup_parse(const char *text, size_t length, const char *name, struct arena *arena, struct setup *setup,
                           struct ta_problem *why);
enum ta_status setup_write(const char *path, const struct setup *setup, struct ta_problem *why);
enum ta_status bench_target_write(const char *path, const struct bench_target *target, struct ta_problem *why);

#endif
