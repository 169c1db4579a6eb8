#include "machine/models.h"

#include "tameanchor/machine.h"

#define MODEL_ADDRESS(name) &model_##name,
static const struct ta_device_kind *const models[] = {MODEL_TABLE(MODEL_ADDRESS) NULL};

const struct ta_device_kind *ta_machine_model(size_t index) {
    return index < sizeof models / sizeof *models ? models[index] : NULL;
}
