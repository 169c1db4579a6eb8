/* What devices keep in a snapshot: every model all of its state, as numbers that any host reads, and a model of one's own its memory too. */
#include "support.h"

#include "base/digest.h"
#include "machine/board.h"
#include "machine/keeper.h"

#include <stdlib.h>
#include <string.h>

static struct ta_machine *machine_of(const struct ta_profile *profile, const struct ta_device_kind *const *extra,
                                     size_t count) {
    struct ta_machine *machine;
    struct ta_problem why;
    ck_assert_msg(!ta_machine_new(profile, extra, count, &machine, &why), "%s", why.what);
    return machine;
}

static void power_on(struct ta_machine *machine) {
    const uint8_t here[] = {0x6f, 0, 0, 0}; /* the program: jal x0, 0 */
    ta_machine_power(machine, true);
    ck_assert_int_eq(ta_machine_write(machine, machine->profile->reset_address, here, 4), TA_OK);
}

/* What no model's keep names is the padding between fields, of so many bytes. A field that is forgotten makes it more. */
static const struct {
    const char *model;
    size_t padding;
} models[] = {
    {"uart16550", 13},       {"gpio", 0},   {"aclint", 0},   {"plic", 0},     {"exit-register", 0}, {"i2c", 3},
    {"compass", 1},          {"motion", 0}, {"touch", 0},    {"analogue", 0}, {"usb-device", 1},    {"spi", 0},
    {"storage-card", 0},     {"fabric", 0}, {"watchdog", 0}, {"calendar", 0}, {"entropy", 0},       {"battery", 0},
    {"flash-controller", 3}, {"radio", 0},
};

START_TEST(every_model_keeps_all_of_its_state) {
    const struct ta_device_kind *kind;
    for (size_t i = 0; (kind = ta_machine_model(i)); ++i) {
        g_autofree uint8_t *state = g_malloc(kind->state_bytes), *copy = g_malloc0(kind->state_bytes);
        struct kept kept = {NULL, 0, 0};
        struct ta_keeper saving = {.direction = SAVING, .into = &kept};
        const struct ta_slot slot = {.kind = kind};
        if (kind->release) /* holds pointers */
            continue;
        memset(state, 0xa5, kind->state_bytes);
        keep_state(&saving, &slot, state);
        struct ta_keeper restoring = {.direction = RESTORING, .from = kept.bytes, .length = kept.length};
        keep_state(&restoring, &slot, copy);
        ck_assert(kind->keep && !saving.failed && !restoring.failed && restoring.at == kept.length);
        size_t padding = 0, known = 0;
        for (size_t k = 0; k < kind->state_bytes; ++k)
            padding += copy[k] != 0xa5;
        while (known < G_N_ELEMENTS(models) && strcmp(models[known].model, kind->model))
            ++known;
        ck_assert_msg(known < G_N_ELEMENTS(models) && padding == models[known].padding,
                      "%s: %zu of %zu bytes are not kept", kind->model, padding, kind->state_bytes);
        free(kept.bytes);
    }
}
END_TEST

/* A gauge that remembers every level it was told, however many. */
struct diary {
    void *levels;
    size_t length;
    uint16_t count;
};

static unsigned released;

static void diary_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct diary *diary = state;
    (void)slot;
    (void)offset;
    (void)size_bytes;
    diary->levels = realloc(diary->levels, ++diary->length);
    ((uint8_t *)diary->levels)[diary->length - 1] = (uint8_t)value;
    ++diary->count;
}

static uint64_t diary_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct diary *diary = state;
    (void)slot;
    (void)size_bytes;
    return offset < diary->length ? ((const uint8_t *)diary->levels)[offset] : 0;
}

static void diary_keep(void *state, struct ta_keeper *keeper) {
    struct diary *diary = state;
    ta_keep_memory(keeper, &diary->levels, &diary->length);
    TA_KEEP(keeper, diary->count);
}

static bool diary_is_sound(const void *state, const struct ta_slot *slot) {
    (void)slot;
    const struct diary *diary = state;
    return diary->count == diary->length;
}

static void diary_release(void *state) {
    free(((struct diary *)state)->levels);
    ++released;
}

static const struct ta_device_kind diary_kind = {.version = TA_DEVICE_VERSION,
                                                 .model = "diary",
                                                 .span_bytes = 0x100,
                                                 .state_bytes = sizeof(struct diary),
                                                 .widths = 1,
                                                 .read = diary_read,
                                                 .write = diary_write,
                                                 .keep = diary_keep,
                                                 .is_sound = diary_is_sound,
                                                 .release = diary_release};

static struct ta_machine *with_diary(struct ta_slot **slot) {
    static struct ta_device devices[16];
    static struct ta_profile profile;
    const struct ta_device_kind *extra[] = {&diary_kind};
    profile = *dunlin();
    memcpy(devices, profile.devices, profile.device_count * sizeof *devices);
    devices[profile.device_count] = (struct ta_device){.name = "diary", .model = "diary", .base = 0x4d000000};
    profile.devices = devices;
    struct ta_machine *machine = (++profile.device_count, machine_of(&profile, extra, 1));
    *slot = &machine->slots[machine->slot_count - 1];
    power_on(machine);
    return machine;
}

START_TEST(a_model_with_memory_of_its_own_is_kept) {
    struct ta_slot *written, *read;
    struct ta_machine *first = with_diary(&written), *second = with_diary(&read);
    struct ta_snapshot *snapshot, *altered;
    uint64_t value = 0;
    size_t length;
    for (unsigned i = 0; i < 40; ++i)
        ck_assert(board_device_write(written, 0, 1, i + 1));
    ck_assert(board_device_write(read, 0, 1, 99)); /* which is gone then */
    ck_assert_int_eq(ta_machine_save(first, &snapshot), TA_OK);
    ck_assert(board_device_write(written, 0, 1, 7)); /* the snapshot's are its own */
    for (int i = 0; i < 2; ++i) {
        ck_assert_int_eq(i ? ta_machine_fork(second, snapshot, NULL) : ta_machine_restore(second, snapshot, NULL),
                         TA_OK);
        ck_assert(((struct diary *)read->state)->length == 40 && ((struct diary *)read->state)->count == 40);
        ck_assert(board_device_read(read, 39, 1, &value) && value == 40);
    }
    /* Every count of levels that does not fit, and every length that does not, is refused; nothing is lost by that. */
    uint8_t *bytes = g_memdup2(ta_snapshot_bytes(snapshot, &length), ta_snapshot_size(snapshot));
    uint8_t *at = bytes;
    while (memcmp(at, "\1\2\3\4\5\6\7\10\11", 9))
        ++at;
    for (uint8_t *changed = at - 8; changed < at + 42; changed += changed == at - 1 ? 41 : 1)
        for (int change = 1; change < 256; change += 50) {
            *changed = (uint8_t)(*changed + change);
            uint64_t digest = digest_bytes(DIGEST_START, bytes + 16, length - 16);
            for (unsigned k = 0; k < 8; ++k)
                bytes[8 + k] = (uint8_t)(digest >> 8 * k);
            ck_assert_int_eq(ta_snapshot_read(bytes, length, &altered, NULL), TA_OK);
            ck_assert_int_eq(ta_machine_restore(second, altered, NULL), TA_E_INPUT);
            ta_snapshot_free(altered);
            *changed = (uint8_t)(*changed - change);
        }
    ck_assert(board_device_read(read, 39, 1, &value) && value == 40);
    released = 0;
    ta_machine_free(first);
    ta_machine_free(second);
    ck_assert_uint_eq(released, 2);
    ta_snapshot_free(snapshot);
    g_free(bytes);
}
END_TEST

int main(void) {
    return run_suite("snapshot", (const TTest *const[]){every_model_keeps_all_of_its_state,
                                                        a_model_with_memory_of_its_own_is_kept, NULL});
}
