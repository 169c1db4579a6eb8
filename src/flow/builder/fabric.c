/* The fabric's image: made of its description by actions of its own. */
#include "core/plan/fabric.h"

#include "flow/builder/builder.h"
#include "host/model_files.h"

/* That of the image, but the one input is the description. */
int64_t builder_fabric_time_s(struct builder *builder, const char *path) {
    return workspace_time_s(builder->workspace, tracked_modified_ns(builder->files, tracked_id(builder->files, path)));
}

enum ta_status builder_fabric(struct builder *builder, const char *path, struct fabric_description *description,
                              struct ta_fabric_image *image) {
    struct workspace *workspace = builder->workspace;
    const uint8_t *content = tracked_content(builder->files, tracked_id(builder->files, path));
    if (!ta_profile_fabric(&workspace->profile))
        return ta_problem_set(builder->why, TA_E_INPUT, "{configure} with a board that has one",
                              "%s has no logic fabric, %s has one to load", workspace->profile.name,
                              workspace->project.project);
    if (!content)
        return ta_problem_set(builder->why, TA_E_INPUT, "see to it that it can be read", "cannot read %s", path);
    enum ta_status status =
        fabric_read_file(workspace_path(workspace, path), path, builder->context->arena, description, builder->why);
    if (!status)
        status = fabric_plan(description, image, builder->why);
    image->built_s = (uint64_t)builder_fabric_time_s(builder, path);
    memcpy(image->identity, content, TA_FABRIC_IDENTITY_BYTES);
    return status;
}
