/* A board in tables: what catalog show and bench show tell of it. */
#include "flow/bench/bench.h"

static const struct ta_column memory_columns[] = {
    {"memory", TA_COLUMN_TEXT}, {"kind", TA_COLUMN_TEXT}, {"base", TA_COLUMN_TEXT}, {"size", TA_COLUMN_BYTES}, {0}};
static const struct ta_column hart_columns[] = {{"harts", TA_COLUMN_TEXT},
                                                {"count", TA_COLUMN_NUMBER},
                                                {"isa", TA_COLUMN_TEXT},
                                                {"clock", TA_COLUMN_HERTZ},
                                                {"reset", TA_COLUMN_TEXT},
                                                {"held", TA_COLUMN_YES_NO},
                                                {0}};
static const struct ta_column connector_columns[] = {{"connector", TA_COLUMN_TEXT},
                                                     {"device", TA_COLUMN_TEXT},
                                                     {"pins", TA_COLUMN_TEXT},
                                                     {"active_low", TA_COLUMN_YES_NO},
                                                     {0}};

static const char *address_text(struct arena *arena, uint64_t address) {
    return arena_printf(arena, "0x%08llx", (unsigned long long)address);
}

static void describe_harts(struct arena *arena, const struct ta_profile *profile, struct ta_report *report) {
    report_table(report, "harts", hart_columns);
    for (size_t i = 0; i < profile->hart_group_count; ++i) {
        const struct ta_hart_group *group = &profile->hart_groups[i];
        uint64_t clock_hz = group->clock_hz ? group->clock_hz : profile->clock_hz;
        uint64_t reset = group->reset_address ? group->reset_address : profile->reset_address;
        report_row(report, CELLS(TEXT_CELL(group->name), COUNT_CELL(group->count ? group->count : 1),
                                 TEXT_CELL(group->isa ? group->isa : profile->isa), COUNT_CELL(clock_hz),
                                 TEXT_CELL(address_text(arena, reset)), COUNT_CELL(group->held)));
    }
}

void board_describe(struct arena *arena, const struct ta_profile *profile, struct ta_report *report) {
    if (profile->hart_group_count)
        describe_harts(arena, profile, report);
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
