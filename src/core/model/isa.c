#include "core/model/isa.h"

#include <stdio.h>
#include <string.h>

/* The order in which a naming string lists its letters. */
static const char letter_order[] = "iemafdqlcbjtpvn";

static const struct {
    const char *name;
    uint64_t bit;
} named[] = {{"zicsr", ISA_ZICSR}, {"zifencei", ISA_ZIFENCEI}, {"zicntr", ISA_ZICNTR},
             {"zba", ISA_ZBA},     {"zbb", ISA_ZBB},           {"zbs", ISA_ZBS}};

/* What an extension needs, and so brings. In an order in which one pass does. */
static const struct {
    uint64_t with, needs;
} implied[] = {{ISA_LETTER('d'), ISA_LETTER('f')}, {ISA_LETTER('f'), ISA_ZICSR}, {ISA_ZICNTR, ISA_ZICSR}};

static enum ta_status isa_refuse(const char *text, const char *part, size_t length, struct ta_problem *why) {
    return ta_problem_set(why, TA_E_INPUT, "write for example rv32imac_zicsr_zifencei",
                          "\"%s\" is not an ISA: \"%.*s\" is not understood there", text, (int)length, part);
}

enum ta_status isa_parse(const char *text, struct isa *isa, struct ta_problem *why) {
    char folded[ISA_TEXT_BYTES];
    size_t length = strlen(text);
    *isa = (struct isa){0};
    if (length >= sizeof folded)
        return isa_refuse(text, text, length, why);
    for (size_t i = 0; i <= length; ++i)
        folded[i] = (char)(text[i] >= 'A' && text[i] <= 'Z' ? text[i] - 'A' + 'a' : text[i]);
    const char *at = folded;
    if (!strncmp(at, "rv32", 4))
        isa->xlen = 32;
    else if (!strncmp(at, "rv64", 4))
        isa->xlen = 64;
    else
        return isa_refuse(text, text, strlen(text), why);
    at += 4;
    if (*at == 'g') {
        isa->extensions = ISA_LETTER('i') | ISA_LETTER('m') | ISA_LETTER('a') | ISA_LETTER('f') | ISA_LETTER('d') |
                          ISA_ZICSR | ISA_ZIFENCEI;
        ++at;
    } else if (*at != 'i' && *at != 'e') {
        return isa_refuse(text, at, 1, why);
    }
    for (const char *order = letter_order; *at && *at != '_'; ++at) {
        const char *place = strchr(order, *at);
        if (!place)
            return isa_refuse(text, at, 1, why);
        isa->extensions |= ISA_LETTER(*at);
        order = place + 1;
    }
    while (*at == '_') {
        size_t i = 0, count = sizeof named / sizeof *named;
        length = strcspn(++at, "_");
        while (i < count && (strlen(named[i].name) != length || memcmp(named[i].name, at, length)))
            ++i;
        if (i == count)
            return isa_refuse(text, at, length, why);
        isa->extensions |= named[i].bit;
        at += length;
    }
    for (size_t i = 0; i < sizeof implied / sizeof *implied; ++i)
        isa->extensions |= isa->extensions & implied[i].with ? implied[i].needs : 0;
    return TA_OK;
}

void isa_march(const struct isa *isa, char march[ISA_TEXT_BYTES]) {
    size_t length = (size_t)snprintf(march, ISA_TEXT_BYTES, "rv%u", isa->xlen);
    for (const char *letter = letter_order; *letter; ++letter)
        if (isa->extensions & ISA_LETTER(*letter))
            march[length++] = *letter;
    march[length] = '\0';
}

const char *isa_mabi(const struct isa *isa) {
    static const char *const names[2][3] = {{"ilp32", "ilp32f", "ilp32d"}, {"lp64", "lp64f", "lp64d"}};
    unsigned floats = isa->extensions & ISA_LETTER('d') ? 2 : isa->extensions & ISA_LETTER('f') ? 1 : 0;
    return names[isa->xlen == 64][floats];
}
