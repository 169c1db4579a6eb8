/* A device model of one's own: a tide gauge, on a board that is a dunlin with that gauge. The project in tide-gauge/ reads it; this
   program builds the project, puts it on such a board and runs its trials there, by the same steps that the tool takes. */
#include <tameanchor/device.h>
#include <tameanchor/tameanchor.h>

#include <stdio.h>

/* Registers of 32 bits. LEVEL is the water in centimetres, a tide from 0 to 400 and back in the seconds that the profile's option `tide`
   gives. The interrupt is high while the level is at or above ALARM. */
enum { LEVEL = 0x0, ALARM = 0x4, HIGH_WATER_CM = 400 };
#define NEVER UINT32_MAX

struct gauge {
    uint32_t alarm_cm;
};

static uint64_t half_tide(const struct ta_slot *slot) {
    return ta_slot_option(slot, "tide", 8) * ta_slot_clock_hz(slot) / 2;
}

static uint32_t level_cm(const struct ta_slot *slot) {
    uint64_t half = half_tide(slot), at = ta_slot_now(slot) % (2 * half);
    return (uint32_t)((at < half ? at : 2 * half - at) * HIGH_WATER_CM / half);
}

/* The line follows the level, which next passes the alarm when it has come a centimetre further. */
static void follow(struct gauge *gauge, struct ta_slot *slot) {
    ta_slot_interrupt(slot, level_cm(slot) >= gauge->alarm_cm);
    ta_slot_wake_at(slot,
                    gauge->alarm_cm > HIGH_WATER_CM ? UINT64_MAX : ta_slot_now(slot) + half_tide(slot) / HIGH_WATER_CM);
}

static void gauge_reset(void *state, struct ta_slot *slot) {
    struct gauge *gauge = state;
    gauge->alarm_cm = NEVER;
    follow(gauge, slot);
}

static void gauge_wake(void *state, struct ta_slot *slot) {
    follow(state, slot);
}

static uint64_t gauge_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct gauge *gauge = state;
    (void)size_bytes;
    return offset == LEVEL ? level_cm(slot) : offset == ALARM ? gauge->alarm_cm : 0;
}

static void gauge_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct gauge *gauge = state;
    (void)size_bytes;
    if (offset == ALARM)
        gauge->alarm_cm = (uint32_t)value;
    follow(gauge, slot);
}

static const struct ta_device_kind tide_gauge = {
    .version = TA_DEVICE_VERSION,
    .model = "tide-gauge",
    .summary = "the height of the water, with an alarm",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct gauge),
    .widths = 4,
    .read = gauge_read,
    .write = gauge_write,
    .reset = gauge_reset,
    .wake = gauge_wake,
};

/* Targets whose target.yaml says "port: {kind: with-gauge}" get it. */
static enum ta_status open_with_gauge(void *with, const struct ta_target *target, struct ta_port *port,
                                      struct ta_problem *why) {
    static const struct ta_device_kind *const models[] = {&tide_gauge};
    (void)with;
    return ta_port_simulate_with(target->profile, models, 1, port, why);
}

int main(int argc, char **argv) {
    const char *folder = argc > 1 ? argv[1] : "tide-gauge", *profile = argc > 2 ? argv[2] : "tide-gauge/gull.yaml";
    static const char *const reached_by[] = {"port.kind=with-gauge", NULL};
    const struct ta_port_kind kind = {.size_bytes = sizeof kind, .name = "with-gauge", .open = open_with_gauge};
    const struct ta_choices choices = {sizeof choices, .compiler = "gcc", .target = "gull"};
    struct ta_report *report = ta_report_new();
    struct ta_context *context = NULL;
    struct ta_problem why;
    enum ta_status status = ta_context_new(&context, &why);
    if (!status)
        status = ta_context_add_port(context, &kind, &why);
    if (!status)
        status = ta_bench_add(context, "gull", profile, reached_by, report, &why);
    if (!status)
        status = ta_configure(context, folder, &choices, report, &why);
    if (!status)
        status = ta_verify(context, folder, NULL, report, &why);
    for (size_t i = 0; i < ta_report_recordings(report); ++i) {
        const struct ta_recording *trial = ta_report_recording(report, i);
        printf("  %s  %s\n", trial->passed ? "pass" : "FAIL", trial->trial);
    }
    if (status)
        fprintf(stderr, "tide_gauge: %s; %s\n", why.what, why.fix);
    ta_context_free(context);
    ta_report_free(report);
    return ta_status_exit_code(status);
}
