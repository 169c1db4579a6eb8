/* Any bytes as a trial file. */
#include "host/patterns.h"

#include <stdint.h>
#include <stdlib.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    struct ta_trials *trials;
    struct ta_problem why;
    if (ta_trials_parse((const char *)data, size, "f", &host_patterns, NULL, &trials, &why) && !*why.what)
        abort(); /* a refusal says what is wrong */
    ta_trials_free(trials);
    return 0;
}
