/* How a target is reached: by the kind of port that its target.yaml names, or simulated. */
#include "flow/bench/bench.h"

#include "base/text.h"

static const char simulated[] = "simulated";

static const char *kind_of(const struct bench_target *target) {
    const char *kind = pairs_value(&target->port, "kind");
    return kind ? kind : simulated;
}

bool target_is_simulated(const struct bench_target *target) {
    return !strcmp(kind_of(target), simulated);
}

/* Null when the context has none of that name. */
static const struct ta_port_kind *find_kind(const struct ta_context *context, const struct bench_target *target,
                                            struct ta_problem *why) {
    g_autoptr(GString) known = g_string_new("it knows: simulated");
    for (guint i = 0; i < context->port_kinds->len; ++i) {
        const struct ta_port_kind *kind = &g_array_index(context->port_kinds, struct ta_port_kind, i);
        if (!strcmp(kind->name, kind_of(target)))
            return kind;
        g_string_append_printf(known, ", %s", kind->name);
    }
    ta_problem_set(why, TA_E_UNSUPPORTED, known->str,
                   "%s is reached by a port of the kind \"%s\", which this program does not know", target->target,
                   kind_of(target));
    return NULL;
}

static enum ta_status open_by_kind(const struct ta_context *context, const struct bench_target *bench,
                                   const struct ta_profile *profile, struct ta_port *port, struct ta_problem *why) {
    const struct ta_port_kind *kind = find_kind(context, bench, why);
    const char **options = arena_alloc(context->arena, (bench->port.count + 1) * sizeof *options);
    const struct ta_target target = {sizeof target, .name = bench->target, .profile = profile, .options = options};
    for (size_t i = 0; i < bench->port.count; ++i)
        options[i] = arena_printf(context->arena, "%s=%s", bench->port.items[i].name, bench->port.items[i].value);
    return kind ? kind->open(kind->with, &target, port, why) : TA_E_UNSUPPORTED;
}

/* As they stand on the bench. */
static enum ta_status set_switches(const struct bench_target *target, const struct ta_profile *profile,
                                   struct ta_port *port, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < profile->switch_count; ++i) {
        const struct ta_switch *each = &profile->switches[i];
        size_t position = ta_switch_position(each, target_state(target, profile, each->name));
        status = port->set_input(port->self, each->name, position < each->position_count ? position : 0, why);
    }
    return status;
}

static enum ta_status simulate(const struct ta_context *context, const struct ta_profile *profile, struct ta_port *port,
                               struct ta_problem *why) {
    enum ta_status status = ta_port_simulate(profile, port, why);
    if (status == TA_E_INPUT || status == TA_E_UNSUPPORTED)
        catalog_locate(context, profile, why);
    return status;
}

enum ta_status board_open(const struct ta_context *context, const struct bench_target *target,
                          const struct ta_profile *profile, struct ta_port *port, struct ta_problem *why) {
    struct ta_problem found = {0};
    *port = (struct ta_port){0};
    enum ta_status status = !target || target_is_simulated(target)
                                ? simulate(context, profile, port, &found)
                                : open_by_kind(context, target, profile, port, &found);
    if (!status)
        status = ta_port_needs(port, 0, &found);
    if (!status && target && target_is_simulated(target)) {
        status = set_switches(target, profile, port, &found);
        if (status)
            port->close(port->self);
    }
    if (status)
        *port = (struct ta_port){0};
    return status ? ta_problem_copy(why, &found) : TA_OK;
}

enum ta_status target_can_be_reached(const struct ta_context *context, const struct bench_target *target,
                                     const struct ta_profile *profile, struct ta_problem *why) {
    if (target_is_simulated(target))
        return board_can_be_made(context, profile, why);
    return find_kind(context, target, why) ? TA_OK : TA_E_UNSUPPORTED;
}

enum ta_status board_can_be_made(const struct ta_context *context, const struct ta_profile *profile,
                                 struct ta_problem *why) {
    struct ta_port port;
    enum ta_status status = board_open(context, NULL, profile, &port, why);
    if (!status)
        port.close(port.self);
    return status;
}
