#include "flow/build/builder.h"

#include "flow/build/cache.h"

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
    enum ta_status status = workspace_plan(workspace, builder->request, &builder->plan, why);
    if (status)
        return status;
    builder->toolchain = builder->plan.images[0].in->toolchain;
    builder->files = tracked_new(workspace, &builder->plan);
    builder->records = records_open(workspace_path(workspace, builder->plan.out.state),
                                    workspace_path(workspace, builder->plan.out.state_since), builder->files);
    builder->sum = sha256_new();
    builder->read = g_ptr_array_new();
    digest_compiler(builder);
    builder->head_digests = g_hash_table_new_full(NULL, NULL, NULL, g_free);
    builder->plain = g_hash_table_new(NULL, NULL);
    builder->allowed = g_hash_table_new(NULL, NULL);
    builder->folders = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
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
