/* A board in tables: what catalog show and bench show tell of it. */
#include "flow/bench/bench.h"

static const struct ta_column memory_columns[] = {
    {"memory", TA_COLUMN_TEXT}, {"kind", TA_COLUMN_TEXT}, {"base", TA_COLUMN_TEXT}, {"size", TA_COLUMN_BYTES}, {0}};
static const struct ta_column hart_columns[] = {
    {"harts", TA_COLUMN_TEXT}, {"count", TA_COLUMN_NUMBER}, {"isa", TA_COLUMN_TEXT},   {"clock", TA_COLUMN_HERTZ},
    {"reset", TA_COLUMN_TEXT}, {"held", TA_COLUMN_YES_NO},  {"image", TA_COLUMN_TEXT}, {0}};
static const struct ta_column timing_columns[] = {{"timing", TA_COLUMN_TEXT}, {"cycles_more", TA_COLUMN_NUMBER}, {0}};
static const struct ta_column connector_columns[] = {{"connector", TA_COLUMN_TEXT},
                                                     {"device", TA_COLUMN_TEXT},
                                                     {"pins", TA_COLUMN_TEXT},
                                                     {"active_low", TA_COLUMN_YES_NO},
                                                     {0}};

static const char *address_text(struct arena *arena, uint64_t address) {
    return arena_printf(arena, "0x%08llx", (unsigned long long)address);
}

static void describe_harts(struct arena *arena, const struct ta_profile *profile, struct ta_report *report) {
    struct ta_hart_group group;
    report_table(report, "harts", hart_columns);
    for (size_t i = 0; ta_profile_hart_group(profile, i, &group, NULL); ++i)
        report_row(report, CELLS(TEXT_CELL(group.name), COUNT_CELL(group.count), TEXT_CELL(group.isa),
                                 COUNT_CELL(group.clock_hz), TEXT_CELL(address_text(arena, group.reset_address)),
                                 COUNT_CELL(group.held), TEXT_CELL(group.image)));
}

/* What takes more than a cycle, and what becomes of data that is not aligned. */
static void describe_timing(const struct ta_profile *profile, struct ta_report *report) {
    const struct ta_timing *timing = &profile->timing;
    const struct {
        const char *what;
        unsigned cycles;
    } rows[] = {{"load", timing->load},
                {"store", timing->store},
                {"multiply", timing->multiply},
                {"divide", timing->divide},
                {"taken branch", timing->taken_branch},
                {"fetch or load from flash", timing->flash_wait}};
    bool any = false;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i)
        any = any || rows[i].cycles;
    if (any)
        report_table(report, "timing", timing_columns);
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i)
        if (rows[i].cycles)
            report_row(report, CELLS(TEXT_CELL(rows[i].what), COUNT_CELL(rows[i].cycles)));
    if (profile->misaligned)
        report_add(report, TA_LEVEL_NOTE, "misaligned", NULL, "loads and stores that are not aligned are carried out");
}

void board_describe(struct arena *arena, const struct ta_profile *profile, struct ta_report *report) {
    if (profile->hart_group_count)
        describe_harts(arena, profile, report);
    describe_timing(profile, report);
    report_table(report, "memory", memory_columns);
    for (size_t i = 0; i < profile->memory_count; ++i) {
        const struct ta_memory *memory = &profile->memories[i];
        report_row(report, CELLS(TEXT_CELL(memory->name), TEXT_CELL(memory->kind == TA_MEMORY_FLASH ? "flash" : "ram"),
                                 TEXT_CELL(address_text(arena, memory->base)), COUNT_CELL(memory->size_bytes)));
    }
    report_table(report, "connectors", connector_columns);
    for (size_t i = 0; i < profile->connector_count; ++i) {
        const struct ta_connector *each = &profile->connectors[i];
        bool has_pins = each->kind == TA_CONNECTOR_LAMPS || each->kind == TA_CONNECTOR_BUTTON;
        const char *pins = !has_pins         ? NULL
                           : each->count > 1 ? arena_printf(arena, "%u to %u", each->pin, each->pin + each->count - 1)
                                             : arena_printf(arena, "%u", each->pin);
        report_row(report, CELLS(TEXT_CELL(each->name), TEXT_CELL(each->device), TEXT_CELL(pins),
                                 COUNT_CELL(has_pins ? each->active_low : -1)));
    }
}
