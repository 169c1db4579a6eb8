#include "core/plan/fabric.h"

#include "core/plan/generate.h"

const char *const fabric_kind_words[] = {
#define FABRIC_WORD(name, text) text,
    TA_FABRIC_KIND_TABLE(FABRIC_WORD)
#undef FABRIC_WORD
        NULL};

enum ta_status fabric_plan(const struct fabric_description *description, struct ta_fabric_image *image,
                           struct ta_problem *why) {
    *image = (struct ta_fabric_image){.count = 0};
    if (description->block_count > TA_FABRIC_BLOCKS)
        return ta_problem_set(why, TA_E_INPUT, "32 blocks are the most", "blocks: there are %zu",
                              description->block_count);
    for (size_t i = 0; i < description->block_count; ++i) {
        const struct fabric_block_description *each = &description->blocks[i];
        bool counts = each->kind == TA_FABRIC_COUNTER - 1;
        struct ta_fabric_block block = {(enum ta_fabric_kind)(each->kind + 1), (uint32_t)each->at,
                                        (uint32_t)(counts ? each->rate_hz : each->count), 0};
        uint32_t bytes = ta_fabric_block_bytes(&block);
        if (counts ? each->count != 0 : each->rate_hz != 0)
            return ta_problem_set(why, TA_E_INPUT, counts ? "give it a rate" : "give it a count",
                                  "blocks.%s.%s: a %s has none", each->name, counts ? "count" : "rate",
                                  fabric_kind_words[each->kind]);
        if (!bytes)
            return ta_problem_set(why, TA_E_INPUT,
                                  counts ? "a rate of 1 Hz to 1 GHz" : "registers: 1 to 256; average: 1 to 64",
                                  "blocks.%s.%s: it is missing or out of range", each->name, counts ? "rate" : "count");
        if (each->at % 4 || each->at < TA_FABRIC_IDENTITY_END || each->at > TA_FABRIC_WINDOW_BYTES - bytes)
            return ta_problem_set(why, TA_E_INPUT, "a multiple of 4 from 0x100 to 0xfffc",
                                  "blocks.%s.at: it cannot be at 0x%llx", each->name, (unsigned long long)each->at);
        for (size_t k = 0; k < i; ++k) {
            const struct ta_fabric_block *other = &image->blocks[k];
            if (ta_fabric_blocks_meet(&block, other))
                return ta_problem_set(why, TA_E_INPUT, "give it a place of its own",
                                      "blocks.%s.at: %s lies at 0x%x already", each->name, description->blocks[k].name,
                                      (unsigned)other->offset);
        }
        image->blocks[image->count++] = block;
    }
    return TA_OK;
}

void generate_fabric_header(const struct fabric_description *description, const struct ta_fabric_image *image,
                            const char *device, struct text *header) {
    text_printf(header,
                "/* Generated from the fabric %s %s. */\n#ifndef FABRIC_H\n#define FABRIC_H\n\n#include <board.h>\n\n"
                "#define FABRIC_NAME \"%s\"\n#define FABRIC_IDENTITY {",
                description->fabric, description->version, description->fabric);
    for (size_t i = 0; i < TA_FABRIC_IDENTITY_BYTES; ++i)
        text_printf(header, "%s0x%02x", i ? ", " : "", image->identity[i]);
    text_printf(header, "}\n");
    for (size_t i = 0; i < image->count; ++i) {
        const struct fabric_block_description *each = &description->blocks[i];
        bool counts = image->blocks[i].kind == TA_FABRIC_COUNTER;
        text_printf(header, "\n#define FABRIC_");
        generate_identifier(header, each->name);
        text_printf(header, "_BASE (BOARD_");
        generate_identifier(header, device);
        text_printf(header, "_BASE + 0x%xu)\n#define FABRIC_", (unsigned)image->blocks[i].offset);
        generate_identifier(header, each->name);
        text_printf(header, "_%s %uu\n", counts ? "RATE_HZ" : "COUNT", (unsigned)image->blocks[i].first);
    }
    text_printf(header, "\n#endif\n");
}
