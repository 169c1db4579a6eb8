#include "flow/builder/builder.h"

#include "flow/builder/cache.h"

#include <stdlib.h>

/* A compiler of the same version may still be another: a program that was replaced compiles everything again. */
static void digest_compiler(struct builder *builder) {
    g_autofree char *real = realpath(builder->toolchain.path, NULL);
    struct stamp stamp = {0};
    if (real && stamp_of(real, &stamp))
        stamp.changed_ns = 0; /* which a copy of the same program changes */
    sha256_add(builder->sum, &stamp, sizeof stamp);
    sha256_end(builder->sum, builder->compiler);
}

/* What the last build knew, and what of it is there now. */
static gpointer read_known(gpointer data) {
    struct builder *builder = data;
    const struct workspace *workspace = builder->workspace;
    g_autofree char *state = g_build_filename(workspace->folder, workspace->layout.state, NULL),
                    *since = g_build_filename(workspace->folder, workspace->layout.state_since, NULL);
    builder->files = tracked_new(builder->workspace);
    builder->records = records_open(state, since, builder->files);
    tracked_look_at_known(builder->files);
    records_look(builder->records, workspace->folder);
    return NULL;
}

/* Of thousands of sources, that takes as long as their plan: both at a time then. */
static enum ta_status read_and_plan(struct builder *builder) {
    enum { WORTH_BYTES = 1 << 20 };
    bool many = file_size(workspace_path(builder->workspace, builder->workspace->layout.state)) >= WORTH_BYTES;
    GThread *reading = many ? g_thread_try_new("records", read_known, builder, NULL) : NULL;
    enum ta_status status = workspace_plan(builder->workspace, builder->request, &builder->plan, builder->why);
    if (reading)
        g_thread_join(reading);
    else
        read_known(builder);
    return status;
}

enum ta_status builder_open(struct builder *builder, struct workspace *workspace, const struct ta_build *build,
                            struct built *built, struct ta_report *report, struct ta_problem *why) {
    static const struct ta_build usual;
    *builder = (struct builder){.workspace = workspace,
                                .context = workspace->context,
                                .request = build ? build : &usual,
                                .built = built,
                                .report = report,
                                .why = why,
                                .has_secrets = settings_are_secret(&workspace->project)};
    *built = (struct built){0};
    builder->sum = sha256_new();
    builder->read = g_ptr_array_new();
    builder->head_digests = g_hash_table_new_full(NULL, NULL, NULL, g_free);
    builder->plain = g_hash_table_new(NULL, NULL);
    builder->allowed = g_hash_table_new(NULL, NULL);
    builder->folders = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    enum ta_status status = read_and_plan(builder);
    if (status)
        return status;
    builder->toolchain = builder->plan.images[0].in->toolchain;
    tracked_begin_plan(builder->files, &builder->plan);
    digest_compiler(builder);
    return TA_OK;
}

enum ta_status builder_close(struct builder *builder, enum ta_status status) {
    struct ta_problem *why = status ? NULL : builder->why;
    enum ta_status saved = builder->records && !builder->judges ? records_save(builder->records, why) : TA_OK;
    builder_run_end(builder);
    if (builder->records) {
        records_free(builder->records);
        tracked_free(builder->files);
        sha256_free(builder->sum);
        g_ptr_array_unref(builder->read);
        g_hash_table_unref(builder->head_digests);
        g_hash_table_unref(builder->plain);
        g_hash_table_unref(builder->allowed);
        g_hash_table_unref(builder->folders);
    }
    cache_close(builder->cache);
    return status ? status : saved;
}
