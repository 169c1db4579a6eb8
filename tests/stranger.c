/* A program outside the tree, valid C11 and C++11, which has functions of its own under names that the libraries use inside.
   With MACHINE_ALONE it uses the machine's library, else both. */
#include <stdio.h>
#include <string.h>

#ifdef MACHINE_ALONE
#include "tameanchor/library.h"
#include "tameanchor/machine.h"
#include "tameanchor/port.h"
#include "tameanchor/trial.h"
#else
#include "tameanchor/tameanchor.h"
#endif

#ifdef __cplusplus
extern "C" {
#endif
int text_add(void);
int report_add(void);
int version_parse(void);
int arena_new(void);
int text_add(void) {
    return 1;
}
int report_add(void) {
    return 2;
}
int version_parse(void) {
    return 4;
}
int arena_new(void) {
    return 8;
}
#ifdef __cplusplus
}
#endif

static bool trial_is_read(struct ta_problem *why) {
    static const char text[] = "trial \"tide\"\n  power on\n  within 1 s console says \"high\"\n";
    struct ta_trials *trials = NULL;
    enum ta_status status = ta_trials_parse(text, strlen(text), "tide.trial", NULL, NULL, &trials, why);
    ta_trials_free(trials);
    return status == TA_OK;
}

#ifndef MACHINE_ALONE
/* Memory, text, versions and reports of the library's own, all in use at once. */
static bool example_is_found(struct ta_problem *why) {
    struct ta_context *context = NULL;
    struct ta_report *report = ta_report_new();
    bool found = ta_context_new(&context, why) == TA_OK &&
                 ta_catalog_show(context, "tide-lamp", report, why) == TA_OK && ta_report_tables(report) > 0;
    ta_report_free(report);
    ta_context_free(context);
    return found;
}
#endif

int main(void) {
    struct ta_problem why;
    memset(&why, 0, sizeof why);
    bool good = !ta_library_check(TA_VERSION_MAJOR, TA_VERSION_MINOR, &why) &&
                ta_library_check(TA_VERSION_MAJOR, TA_VERSION_MINOR + 1, NULL) == TA_E_UNSUPPORTED &&
                !strcmp(ta_library_version(), TA_VERSION_TEXT) && trial_is_read(&why) &&
                text_add() + report_add() + version_parse() + arena_new() == 15;
#ifndef MACHINE_ALONE
    good = good && example_is_found(&why);
#endif
    if (!good)
        fprintf(stderr, "%s\n", why.what);
    return good ? 0 : 1;
}
