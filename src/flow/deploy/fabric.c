/* The fabric of a target: what it is loaded with, against what the project was built with. */
#include "tameanchor/fabric.h"

#include "flow/deploy/deployed.h"

#include <stdio.h>

/* What the project's build made, *LENGTH bytes. */
static enum ta_status read_built(struct deployed *deployed, char **bytes, size_t *length, struct ta_problem *why) {
    struct workspace *workspace = &deployed->workspace;
    enum ta_status status =
        file_read(workspace_path(workspace, workspace->layout.fabric), TA_FABRIC_IMAGE_BYTES, bytes, length, why);
    return status ? ta_problem_set(why, TA_E_NO, "{build}", "the fabric of %s is not built yet",
                                   workspace->project.project)
                  : TA_OK;
}

/* What the target's fabric holds; false when that is no image. */
static enum ta_status read_loaded(struct deployed *deployed, const char *device, uint8_t bytes[TA_FABRIC_IMAGE_BYTES],
                                  struct ta_problem *why) {
    struct ta_port *port = &deployed->target.port;
    enum ta_status status = ta_port_needs(port, TA_CAN_STORE, why);
    return status ? status : port->read_store(port->self, device, 0, bytes, TA_FABRIC_IMAGE_BYTES, why);
}

enum ta_status fabric_deploy(struct deployed *deployed, struct ta_report *report, struct ta_problem *why) {
    struct workspace *workspace = &deployed->workspace;
    const struct ta_device *device = ta_profile_fabric(&workspace->profile);
    uint8_t loaded[TA_FABRIC_IMAGE_BYTES];
    g_autofree char *built = NULL;
    size_t length = 0;
    if (!workspace->project.fabric || !device)
        return TA_OK;
    enum ta_status status = read_built(deployed, &built, &length, why);
    if (!status)
        status = read_loaded(deployed, device->name, loaded, why);
    if (status || !memcmp(loaded, built, length))
        return status;
    status = target_store(&deployed->target, device->name, built, length, why);
    if (!status)
        status = read_loaded(deployed, device->name, loaded, why);
    if (!status && memcmp(loaded, built, length))
        status = ta_problem_set(why, TA_E_NO, "{deploy} loads it again", "%s holds another fabric than was loaded",
                                device->name);
    deployed->programmed = deployed->programmed || !status;
    if (!status)
        report_add(report, TA_LEVEL_OK, "fabric", NULL, "%zu bytes to %s of %s", length, device->name,
                   deployed->target.name);
    return status;
}

bool fabric_is_blank(const struct ta_context *context, const char *name, const char *device) {
    g_autofree char *file = target_store_path(context, name, device), *bytes = NULL;
    struct ta_fabric_image image;
    size_t length = 0;
    return !g_file_test(file, G_FILE_TEST_EXISTS) || file_read(file, TA_FABRIC_IMAGE_BYTES, &bytes, &length, NULL) ||
           !ta_fabric_read((const uint8_t *)bytes, length, &image);
}

enum ta_status fabric_as_is(struct deployed *deployed, struct ta_report *report, struct ta_problem *why) {
    struct workspace *workspace = &deployed->workspace;
    const struct ta_device *device = ta_profile_fabric(&workspace->profile);
    uint8_t loaded[TA_FABRIC_IMAGE_BYTES];
    struct ta_fabric_image image;
    struct ta_problem unheard;
    g_autofree char *built = NULL;
    size_t length = 0;
    if (!workspace->project.fabric || !device)
        return TA_OK;
    enum ta_status status = read_loaded(deployed, device->name, loaded, why);
    if (status)
        return status;
    if (!ta_fabric_read(loaded, sizeof loaded, &image))
        return ta_problem_set(why, TA_E_NO, "{deploy}", "%s of %s is blank", device->name, deployed->target.name);
    if (!read_built(deployed, &built, &length, &unheard) && memcmp(loaded, built, length))
        report_add(report, TA_LEVEL_WARNING, "fabric", "{deploy}", "%s of %s holds another fabric than was built last",
                   device->name, deployed->target.name);
    return TA_OK;
}
