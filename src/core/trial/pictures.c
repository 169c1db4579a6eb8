/* What a screen shows against the picture of what it is to show. */
#include "core/model/picture.h"
#include "core/trial/stimuli.h"

/* How much of the screen looks otherwise, in thousandths of a percent, rounded up; DIFFERENCE may be null. */
static enum ta_status compare_picture(const struct recorder *recorder, const struct statement *statement,
                                      struct ta_picture *seen, struct ta_picture *difference, uint64_t *milli) {
    const struct ta_picture *wanted = statement->picture;
    uint64_t points = (uint64_t)wanted->width * wanted->height;
    enum ta_status status = ta_live_picture(recorder->live, statement->name, seen, recorder->why);
    if (!status && (seen->width != wanted->width || seen->height != wanted->height))
        status = ta_problem_set(recorder->why, TA_E_INPUT, "give a picture of the screen's size",
                                "%s shows %u by %u points, %s has %u by %u", statement->name, seen->width, seen->height,
                                statement->text, wanted->width, wanted->height);
    if (!status && difference)
        status = ta_picture_make(difference, seen->width, seen->height);
    if (!status)
        *milli = (ta_picture_compare(wanted, seen, difference) * UINT64_C(100000) + points - 1) / points;
    return status;
}

/* What the screen shows now. Looked at again when it shows something else. */
bool holds_picture(struct recorder *recorder, const struct statement *statement, bool last_call) {
    struct ta_picture seen = {0};
    uint64_t milli = UINT64_MAX;
    (void)last_call;
    if (recorder->pictured == recorder->board->redraws + 1)
        return false;
    recorder->pictured = recorder->board->redraws + 1;
    recorder->trouble = compare_picture(recorder, statement, &seen, NULL, &milli);
    ta_picture_free(&seen);
    return milli <= statement->allowed_milli;
}

enum ta_status take_picture(struct recorder *recorder, const struct statement *statement,
                            struct ta_recording *recording) {
    struct ta_picture seen = {0}, difference = {0};
    uint64_t milli;
    enum ta_status status = compare_picture(recorder, statement, &seen, &difference, &milli);
    if (!status) {
        recording->picture = picture_keep(recorder->arena, &seen);
        recording->difference = picture_keep(recorder->arena, &difference);
        if (!recording->picture || !recording->difference)
            status = ta_problem_set(recorder->why, TA_E_MEMORY, NULL, "out of memory");
    }
    ta_picture_free(&seen);
    ta_picture_free(&difference);
    return status;
}

const char *describe_picture(const struct recorder *recorder, const struct statement *statement) {
    struct ta_picture seen = {0};
    uint64_t milli = 0;
    if (compare_picture(recorder, statement, &seen, NULL, &milli))
        return NULL;
    ta_picture_free(&seen);
    return arena_printf(recorder->arena, "%s differs in %llu.%03llu %% of its points; %llu.%03llu %% are allowed",
                        statement->name, (unsigned long long)(milli / 1000), (unsigned long long)(milli % 1000),
                        (unsigned long long)(statement->allowed_milli / 1000),
                        (unsigned long long)(statement->allowed_milli % 1000));
}
