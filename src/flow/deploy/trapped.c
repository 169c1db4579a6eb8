#include "flow/deploy/trapped.h"

#include "host/call_chain.h"
#include "host/elf_file.h"

/* The stack of the hart grew into its guard. */
static bool ran_over(const struct ta_image *image, const struct ta_scene *scene) {
    uint64_t stacks = scene->hart - elf_number(image->path, "image_hart_first") + 1;
    uint64_t end = elf_number(image->path, "image_stack_top") - elf_number(image->path, "image_stack_size") * stacks;
    return end - scene->value - 1 < elf_number(image->path, "image_guard_bytes");
}

void trap_tell(const struct images *images, const struct ta_profile *profile, const struct ta_scene *scene,
               struct told_trap *told) {
    const struct ta_event trap = {.kind = TA_EVENT_TRAP, .cause = scene->cause, .value = scene->value};
    const struct ta_image *image = images_at(images, scene->registers[TA_REGISTER_PC]);
    elf_describe_address(image, scene->registers[TA_REGISTER_PC], told->place, sizeof told->place);
    if (ran_over(image, scene))
        g_snprintf(told->words, sizeof told->words,
                   "0x%08" G_GINT64_MODIFIER "x is in the guard below the stack, which has run over", scene->value);
    else
        ta_trap_explain(profile, &trap, told->words);
    told->calls = call_chain(image, scene);
}

void told_clear(struct told_trap *told) {
    g_clear_pointer(&told->calls, g_ptr_array_unref);
}

static const char *value_text(struct arena *arena, const struct ta_scene *scene, uint64_t value) {
    return arena_printf(arena, "0x%0*llx", scene->xlen == 64 ? 16 : 8, (unsigned long long)value);
}

static void report_registers(struct arena *arena, const struct ta_scene *scene, struct ta_report *report) {
    static const struct ta_column columns[] = {{"register", TA_COLUMN_TEXT}, {"value", TA_COLUMN_TEXT}, {0}};
    enum { A_LINE = 4 };
    for (size_t i = 1; i <= TA_REGISTER_PC; i += A_LINE) {
        g_autoptr(GString) line = g_string_new(NULL);
        for (size_t k = i; k < i + A_LINE && k <= TA_REGISTER_PC; ++k)
            g_string_append_printf(line, "%s%-3s %s", k > i ? "  " : "", ta_register_name((unsigned)k),
                                   value_text(arena, scene, scene->registers[k]));
        report_add(report, TA_LEVEL_NOTE, "registers", NULL, "%s", line->str);
    }
    report_table_for_programs(report, "registers", columns);
    for (size_t i = 1; i <= TA_REGISTER_PC; ++i)
        report_row(report, CELLS(TEXT_CELL(ta_register_name((unsigned)i)),
                                 TEXT_CELL(value_text(arena, scene, scene->registers[i]))));
}

static void report_branches(struct arena *arena, const struct images *images, const struct ta_scene *scene,
                            struct ta_report *report) {
    static const struct ta_column columns[] = {{"from", TA_COLUMN_TEXT},
                                               {"from_place", TA_COLUMN_TEXT},
                                               {"to", TA_COLUMN_TEXT},
                                               {"to_place", TA_COLUMN_TEXT},
                                               {0}};
    report_table(report, "branches", columns);
    for (size_t i = 0; i < scene->branch_count; ++i) {
        const struct ta_branch *branch = &scene->branches[i];
        char from[256], to[256];
        elf_describe_address(images_at(images, branch->from), branch->from, from, sizeof from);
        elf_describe_address(images_at(images, branch->to), branch->to, to, sizeof to);
        report_row(report, CELLS(TEXT_CELL(value_text(arena, scene, branch->from)), TEXT_CELL(from),
                                 TEXT_CELL(value_text(arena, scene, branch->to)), TEXT_CELL(to)));
    }
}

void trap_report(struct arena *arena, const struct images *images, const struct ta_profile *profile,
                 const struct ta_scene *scene, enum ta_level level, const char *fix, struct ta_report *report) {
    static const struct ta_column columns[] = {{"call", TA_COLUMN_TEXT}, {0}};
    struct ta_hart_group group;
    struct told_trap told;
    char instruction[TA_INSTRUCTION_TEXT_BYTES];
    bool known = ta_profile_harts_of(profile, scene->hart, &group);
    const char *hart = known && ta_profile_harts(profile) > 1
                           ? arena_printf(arena, "hart %u, of %s", scene->hart, group.name)
                           : NULL; /* of one hart nobody asks which */
    trap_tell(images, profile, scene, &told);
    ta_instruction_text(known ? group.isa : profile->isa, scene->registers[TA_REGISTER_PC], scene->instruction,
                        instruction);
    report_add(report, level, "trap", fix, "%s at %s%s%s%s%s%s%s", ta_trap_text(scene->cause),
               value_text(arena, scene, scene->registers[TA_REGISTER_PC]), *told.place ? " in " : "", told.place,
               hart ? ", on " : "", hart ? hart : "", *told.words ? ": " : "", told.words);
    if (*instruction)
        report_add(report, TA_LEVEL_NOTE, "instruction", NULL, "%s", instruction);
    report_registers(arena, scene, report);
    report_table(report, "calls", columns);
    for (guint i = 0; i < told.calls->len; ++i)
        report_row(report, CELLS(TEXT_CELL(told.calls->pdata[i])));
    if (scene->branch_count)
        report_branches(arena, images, scene, report);
    told_clear(&told);
}
