/* The built-in device models: a new one is a file in devices/ and a row here. */
#ifndef TA_MACHINE_MODELS_H
#define TA_MACHINE_MODELS_H

#include "tameanchor/device.h"

#define MODEL_TABLE(X)                                                                                                 \
    X(uart16550)                                                                                                       \
    X(gpio)                                                                                                            \
    X(aclint)                                                                                                          \
    X(plic)                                                                                                            \
    X(exit_register)                                                                                                   \
    X(i2c)                                                                                                             \
    X(compass)                                                                                                         \
    X(motion)                                                                                                          \
    X(screen)                                                                                                          \
    X(touch)                                                                                                           \
    X(analogue)                                                                                                        \
    X(usb_device)                                                                                                      \
    X(spi)                                                                                                             \
    X(storage_card)                                                                                                    \
    X(fabric)                                                                                                          \
    X(watchdog)                                                                                                        \
    X(calendar)                                                                                                        \
    X(entropy)                                                                                                         \
    X(battery)                                                                                                         \
    X(flash_controller)                                                                                                \
    X(radio)

#define MODEL_DECLARE(name) extern const struct ta_device_kind model_##name;
MODEL_TABLE(MODEL_DECLARE)
#undef MODEL_DECLARE

#endif
