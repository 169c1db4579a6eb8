#include "host/patterns.h"

#include <glib.h>

static void *pattern_compile(const char *pattern, struct ta_problem *why) {
    g_autoptr(GError) error = NULL;
    GRegex *regex = g_regex_new(pattern, G_REGEX_OPTIMIZE | G_REGEX_RAW, 0, &error);
    if (!regex)
        ta_problem_set(why, TA_E_SYNTAX, "write a Perl-compatible regular expression", "\"%s\" is not a pattern: %s",
                       pattern, error->message);
    return regex;
}

static bool pattern_match(void *pattern, const char *text, size_t length, size_t *end) {
    g_autoptr(GMatchInfo) match = NULL;
    int start_at, end_at;
    if (!g_regex_match_full(pattern, text, (gssize)length, 0, 0, &match, NULL))
        return false;
    if (g_match_info_fetch_pos(match, 0, &start_at, &end_at))
        *end = (size_t)end_at;
    return true;
}

static void pattern_free(void *pattern) {
    g_regex_unref(pattern);
}

const struct ta_patterns host_patterns = {pattern_compile, pattern_match, pattern_free};
