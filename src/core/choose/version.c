#include "tameanchor/version.h"

#include <stddef.h>
#include <string.h>

static bool is_digit(char letter) {
    return letter >= '0' && letter <= '9';
}

static bool is_identifier(char letter) {
    return is_digit(letter) || (letter >= 'a' && letter <= 'z') || (letter >= 'A' && letter <= 'Z') || letter == '-';
}

/* A number without leading zeros. Null when there is none, or it is too large. */
static const char *number_read(const char *at, uint32_t *number) {
    const char *start = at;
    uint64_t value = 0;
    for (; is_digit(*at); ++at) {
        value = value * 10 + (uint64_t)(*at - '0');
        if (value > UINT32_MAX)
            return NULL;
    }
    *number = (uint32_t)value;
    return at == start || (*start == '0' && at - start > 1) ? NULL : at;
}

/* Identifiers joined by dots; numeric ones must not start with 0 when STRICT. Null when malformed. */
static const char *identifiers_read(const char *at, bool strict) {
    for (;; ++at) {
        const char *start = at;
        bool digits = true;
        for (; is_identifier(*at); ++at)
            digits = digits && is_digit(*at);
        if (at == start || (strict && digits && *start == '0' && at - start > 1))
            return NULL;
        if (*at != '.')
            return at;
    }
}

/* Reads one version at AT; null when there is none. In a range, a limit may be a major number alone. */
static const char *version_read(const char *at, bool in_range, struct ta_version *version) {
    *version = (struct ta_version){0};
    at = number_read(at, &version->major);
    if (!at || *at != '.')
        return in_range ? at : NULL;
    at = number_read(at + 1, &version->minor);
    if (at && *at == '.')
        at = number_read(at + 1, &version->patch);
    if (at && *at == '-') {
        const char *start = at + 1;
        at = identifiers_read(start, true);
        if (!at || at - start >= TA_PRERELEASE_BYTES)
            return NULL;
        memcpy(version->prerelease, start, (size_t)(at - start));
    }
    if (at && *at == '+')
        at = identifiers_read(at + 1, false);
    return at;
}

enum ta_status ta_version_parse(const char *text, struct ta_version *version, struct ta_problem *why) {
    const char *end = version_read(text, false, version);
    if (end && !*end)
        return TA_OK;
    return ta_problem_set(why, TA_E_INPUT, "write for example 2.1.0", "\"%s\" is not a version", text);
}

static int order(uint64_t a, uint64_t b) {
    return (a > b) - (a < b);
}

/* One dot-separated identifier of two pre-releases: numbers by value and before words, words by ASCII. */
static int identifier_compare(const char *a, size_t a_length, const char *b, size_t b_length) {
    bool a_number = strspn(a, "0123456789") >= a_length, b_number = strspn(b, "0123456789") >= b_length;
    if (a_number != b_number)
        return a_number ? -1 : 1;
    if (a_number && a_length != b_length)
        return a_length < b_length ? -1 : 1;
    int difference = memcmp(a, b, a_length < b_length ? a_length : b_length);
    return difference ? difference : order(a_length, b_length);
}

static int prerelease_compare(const char *a, const char *b) {
    if (!*a || !*b)
        return (*b != '\0') - (*a != '\0');
    for (;;) {
        size_t a_length = strcspn(a, "."), b_length = strcspn(b, ".");
        int difference = identifier_compare(a, a_length, b, b_length);
        if (difference)
            return difference;
        a += a_length;
        b += b_length;
        if (!*a || !*b)
            return (*a != '\0') - (*b != '\0');
        ++a;
        ++b;
    }
}

int ta_version_compare(const struct ta_version *a, const struct ta_version *b) {
    int difference = order(a->major, b->major);
    if (!difference)
        difference = order(a->minor, b->minor);
    if (!difference)
        difference = order(a->patch, b->patch);
    return difference ? difference : prerelease_compare(a->prerelease, b->prerelease);
}

/* One comparison: which signs of (VERSION compared with LIMIT) it lets through. */
struct comparison {
    bool below, equal, above;
    struct ta_version limit;
};

static const char *comparison_read(const char *at, struct comparison *comparison) {
    static const struct {
        const char *sign;
        bool below, equal, above;
    } signs[] = {
        {">=", false, true, true}, {"<=", true, true, false}, {">", false, false, true},
        {"<", true, false, false}, {"=", false, true, false}, {"", false, true, false},
    };
    size_t i = 0;
    while (strncmp(at, signs[i].sign, strlen(signs[i].sign)))
        ++i;
    comparison->below = signs[i].below;
    comparison->equal = signs[i].equal;
    comparison->above = signs[i].above;
    at += strlen(signs[i].sign);
    return version_read(at + strspn(at, " "), true, &comparison->limit);
}

static bool comparison_holds(const struct comparison *comparison, const struct ta_version *version) {
    int sign = ta_version_compare(version, &comparison->limit);
    return sign < 0 ? comparison->below : sign > 0 ? comparison->above : comparison->equal;
}

static bool same_triple(const struct ta_version *a, const struct ta_version *b) {
    return a->major == b->major && a->minor == b->minor && a->patch == b->patch;
}

/* Reads a whole range. *CONTAINS tells whether VERSION (may be null) lies in it. False when TEXT is no range. */
static bool range_read(const char *at, const struct ta_version *version, bool *contains) {
    *contains = !strcmp(at, "*");
    if (*contains)
        return true;
    for (;;) {
        bool holds = true, named = !version || !version->prerelease[0];
        unsigned count = 0;
        for (at += strspn(at, " "); *at && *at != '|'; at += strspn(at, " "), ++count) {
            struct comparison comparison;
            at = comparison_read(at, &comparison);
            if (!at || (*at && *at != ' ' && *at != '|'))
                return false;
            if (!version)
                continue;
            holds = holds && comparison_holds(&comparison, version);
            named = named || (comparison.limit.prerelease[0] && same_triple(version, &comparison.limit));
        }
        if (!count)
            return false;
        *contains = *contains || (holds && named);
        if (!*at)
            return true;
        if (strncmp(at, "||", 2))
            return false;
        at += 2;
    }
}

enum ta_status ta_range_check(const char *text, struct ta_problem *why) {
    bool contains;
    if (range_read(text, NULL, &contains))
        return TA_OK;
    return ta_problem_set(why, TA_E_INPUT, "write for example \">=2.0 <3\"", "\"%s\" is not a version range", text);
}

bool ta_range_contains(const char *range, const struct ta_version *version) {
    bool contains = false;
    return range_read(range, version, &contains) && contains;
}
