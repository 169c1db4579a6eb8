/* A watchdog: starts the board anew when it is not fed in time. 32-bit registers:

   0x00  CONTROL  read/write  bit 0: on. Once on, it stays so until the next reset
   0x04  TIMEOUT  read/write  milliseconds, 1 to 65535; it counts from the next FEED on
   0x08  FEED     write       0x5a: the time begins anew. Anything else, while it is on, starts the board anew at once
   0x0c  CAUSE    read/write  bit 0: the last reset was the watchdog's, a one written clears it. A power-on is not */
#include "machine/models.h"

enum {
    CONTROL = 0x00,
    TIMEOUT = 0x04,
    FEED = 0x08,
    CAUSE = 0x0c,
    ON = 1,
    BITTEN = 1,
    FOOD = 0x5a,
    TIMEOUT_DEFAULT = 1000
};

struct watchdog {
    uint32_t control, timeout_ms, cause;
};

static void count_anew(const struct watchdog *watchdog, struct ta_slot *slot) {
    ta_slot_wake_at(slot, ta_slot_now(slot) + 1 + watchdog->timeout_ms * ta_slot_clock_hz(slot) / 1000);
}

static void bite(struct watchdog *watchdog, struct ta_slot *slot) {
    watchdog->cause = BITTEN;
    ta_slot_restart(slot);
}

static void watchdog_wake(void *state, struct ta_slot *slot) {
    bite(state, slot);
}

static uint64_t watchdog_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct watchdog *watchdog = state;
    (void)slot;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: return watchdog->control;
    case TIMEOUT: return watchdog->timeout_ms;
    case CAUSE: return watchdog->cause;
    default: return 0;
    }
}

static void watchdog_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct watchdog *watchdog = state;
    (void)size_bytes;
    switch (offset) {
    case CONTROL:
        if (value & ON && !watchdog->control) {
            watchdog->control = ON;
            count_anew(watchdog, slot);
        }
        break;
    case TIMEOUT: watchdog->timeout_ms = value && value <= UINT16_MAX ? (uint32_t)value : watchdog->timeout_ms; break;
    case FEED:
        if (watchdog->control && value == FOOD)
            count_anew(watchdog, slot);
        else if (watchdog->control)
            bite(watchdog, slot);
        break;
    case CAUSE: watchdog->cause &= ~(uint32_t)(value & BITTEN); break;
    default: break;
    }
}

/* Device time begins with the power. */
static void watchdog_reset(void *state, struct ta_slot *slot) {
    struct watchdog *watchdog = state;
    uint32_t cause = ta_slot_now(slot) ? watchdog->cause : 0;
    *watchdog = (struct watchdog){.timeout_ms = TIMEOUT_DEFAULT, .cause = cause};
}

static void watchdog_keep(void *state, struct ta_keeper *keeper) {
    struct watchdog *watchdog = state;
    TA_KEEP(keeper, watchdog->control);
    TA_KEEP(keeper, watchdog->timeout_ms);
    TA_KEEP(keeper, watchdog->cause);
}

const struct ta_device_kind model_watchdog = {
    .version = TA_DEVICE_VERSION,
    .model = "watchdog",
    .summary = "starts the board anew when it is not fed",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct watchdog),
    .widths = 4,
    .read = watchdog_read,
    .write = watchdog_write,
    .reset = watchdog_reset,
    .wake = watchdog_wake,
    .keep = watchdog_keep,
};
