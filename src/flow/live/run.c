/* run: lets a program run on its target, which whoever wants to watches and touches meanwhile. */
#include "base/units.h"
#include "flow/deploy/deployed.h"
#include "flow/deploy/trapped.h"
#include "flow/live/live.h"
#include "flow/live/shown.h"
#include "host/image_file.h"

struct running {
    struct ta_context *context;
    const struct ta_run *request;
    const char *name; /* "tide-lamp on dunlin" */
    struct target *target;
    const struct images *images;
    struct live live;
    struct ta_report *report;
    struct ta_problem *why;
};

/* A bare image is loaded where its segments say, RAM included, as a debugger would. */
static enum ta_status load_bare(struct running *running) {
    struct ta_port *port = &running->target->port;
    const struct ta_image *image = &running->images->items[0];
    enum ta_status status = ta_port_needs(port, TA_CAN_REGISTERS, running->why);
    for (size_t i = 0; !status && i < image->segment_count; ++i) {
        const struct ta_segment *segment = &image->segments[i];
        const struct ta_memory *memory =
            ta_profile_memory_at(running->target->profile, segment->address, segment->size_bytes);
        if (!segment->size_bytes || !memory)
            continue;
        status =
            memory->kind == TA_MEMORY_FLASH
                ? port->program(port->self, segment->address, segment->bytes, segment->size_bytes, running->why)
                : port->write_memory(port->self, segment->address, segment->bytes, segment->size_bytes, running->why);
    }
    return status ? status : port->write_register(port->self, 0, TA_REGISTER_PC, image->entry, running->why);
}

static enum ta_status run_to_the_end(struct running *running) {
    struct ta_live *live = running->live.live;
    const struct ta_board *board = ta_live_board(live);
    uint64_t limit_ns = running->request->for_ns ? running->request->for_ns : UINT64_MAX;
    enum ta_status status = ta_live_resume(live, running->why);
    for (bool over = false; !status && !over && !board->stop;)
        status = ta_live_wait(live, limit_ns, &over, NULL, running->why);
    return status;
}

static void report_trap(struct running *running, enum ta_level level, const char *fix) {
    trap_report(running->context->arena, running->images, running->target->profile,
                ta_live_board(running->live.live)->scene, level, fix, running->report);
}

/* What a computer at the other end of a cable has to say. */
static void report_cable(const struct ta_board *board, struct ta_report *report) {
    const struct ta_connector *cable = ta_profile_connector_of(board->profile, TA_CONNECTOR_USB);
    const char *name = cable ? cable->name : "cable";
    if (board->cable_state == TA_CABLE_REFUSED)
        report_add(report, TA_LEVEL_WARNING, name, "look at what it answers to the computer's requests",
                   "the computer will not have it: %s", board->cable);
    else if (*board->cable)
        report_add(report, TA_LEVEL_OK, name, NULL, "the computer has found %s", board->cable);
    if (!board->document_length)
        return;
    report_text(report, "document", board->document);
    g_autofree char *typed = g_strdup(board->document);
    g_auto(GStrv) lines = g_strsplit(g_strchomp(typed), "\n", -1);
    for (char **line = lines; *typed && *line; ++line)
        report_add(report, TA_LEVEL_OK, line == lines ? "typed" : "", NULL, "%s", *line);
}

static enum ta_status report_end(struct running *running) {
    const struct ta_board *board = ta_live_board(running->live.live);
    const struct ta_event *stop = board->stop, *halt = board->halt;
    struct ta_report *report = running->report;
    bool wild = stop && stop->stop == TA_STOP_WILD;
    char time[UNIT_TEXT_BYTES];
    unit_format(time, UNIT_TIME_NS, board->time_ns);
    report_text(report, "stop", ta_stop_text(stop ? stop->stop : TA_STOP_NONE));
    report_number(report, "exit_code", stop ? stop->code : 0);
    report_number(report, "time_ns", (int64_t)board->time_ns);
    report_cable(board, report);
    if (board->was_reset)
        report_add(report, TA_LEVEL_NOTE, "power", NULL, "the power of %s cannot be switched: it was reset instead",
                   running->target->name);
    if (wild) {
        g_autofree char *fix = g_strdup_printf("%s; look at that line", ta_wild_text(stop->code));
        report_trap(running, TA_LEVEL_PROBLEM, fix);
    } else if (board->trap) {
        report_trap(running, TA_LEVEL_WARNING, "the program's trap handler handled it; look at that line");
    }
    if (stop && stop->stop == TA_STOP_ENDED)
        report_add(report, TA_LEVEL_OK, "ended", NULL, "%s with exit code %d after %s of device time", running->name,
                   stop->code, time);
    else if (halt)
        report_add(report, TA_LEVEL_NOTE, "halted", NULL, "%s at a %s at 0x%llx, after %s of device time",
                   running->name, ta_event_text(halt->kind), (unsigned long long)halt->pc, time);
    else
        report_add(report, TA_LEVEL_OK, "ran", NULL, "%s for %s of device time", running->name, time);
    return wild ? TA_E_NO : TA_OK;
}

static enum ta_status prepare(struct running *running) {
    const struct ta_run *request = running->request;
    struct ta_port *port = &running->target->port;
    enum ta_status status = TA_OK;
    if (request->command_line)
        status = ta_port_needs(port, TA_CAN_SEMIHOST, running->why);
    if (!status && port->capabilities & TA_CAN_SEMIHOST)
        status = port->command_line(port->self, request->command_line, running->why);
    for (size_t i = 0; !status && i < request->input_count; ++i)
        status = ta_live_do(running->live.live, request->inputs[i], running->why);
    return status;
}

/* A board that starts from its card runs the card's program, which need not be the one that was deployed. */
static enum ta_status look_at_card(struct running *running) {
    static const struct images none;
    struct ta_identity identity, ours = images_identity(running->images);
    char text[TA_IDENTITY_TEXT];
    bool starts;
    enum ta_status status = target_boots(running->target, &starts, &identity, running->why);
    if (status || !starts)
        return status;
    report_add(running->report, TA_LEVEL_NOTE, "card", NULL, "%s starts from its card, which goes to its flash",
               running->target->name ? running->target->name : running->target->profile->name);
    if (!running->target->name || !memcmp(identity.bytes, ours.bytes, sizeof ours.bytes))
        return TA_OK;
    ta_identity_text(&identity, text, sizeof text);
    running->images = &none;
    running->name = arena_printf(running->context->arena, "the card's program on %s", running->target->name);
    report_title(running->report, "%s, identity %.8s", running->name, text);
    report_text(running->report, "identity", text);
    return TA_OK;
}

static enum ta_status power_and_run(struct running *running, bool bare) {
    const struct ta_run *request = running->request;
    struct live *live = &running->live;
    enum ta_status status = live_open(live, running->target, running->why);
    live->at_board_pace = request->real_time && running->target->port.capabilities & TA_CAN_TIME;
    live->has_limit = request->for_ns != 0;
    if (!status)
        status = prepare(running);
    if (!status)
        status = look_at_card(running);
    if (!status)
        status = ta_live_power(live->live, true, running->why);
    if (!status && bare)
        status = load_bare(running);
    if (!status && request->begins)
        status = request->begins(request->with, live->live, running->report, running->why);
    if (!status)
        status = run_to_the_end(running);
    if (live->live && ta_live_board(live->live)->powered &&
        status != TA_E_PORT) { /* however it ended: it was written */
        struct ta_problem unheard;
        enum ta_status kept = live_keep(live, status ? &unheard : running->why);
        status = status ? status : kept;
    }
    if (!status)
        status = shown_keep(running->target, ta_live_board(live->live), request->screen, running->why);
    if (!status)
        status = report_end(running);
    live_close(live);
    return status;
}

/* The program of the project in FOLDER. */
static enum ta_status run_project(struct running *running, const char *folder) {
    struct deployed deployed;
    enum ta_status status = deployed_begin(running->context, folder, "run", &deployed, running->why);
    if (!status)
        status = deployed_open(&deployed, STARTS_ANY, running->request->as_is ? AS_IS : UP_TO_DATE, running->report,
                               running->why);
    if (!status) {
        running->target = &deployed.target;
        running->images = &deployed.images;
        running->name = arena_printf(running->context->arena, "%s on %s", deployed.workspace.project.project,
                                     deployed.workspace.setup.target);
        status = power_and_run(running, false);
    }
    deployed_close(&deployed);
    return status;
}

/* The board that a bare image runs on, and the name of its target, where that has to be itself: another one that is simulated is like it, so that
   the bench's flash stays as it was. */
static enum ta_status find_board(struct ta_context *context, const struct ta_run *request, struct ta_profile *profile,
                                 const char **name, struct ta_problem *why) {
    struct bench_entry entry;
    *name = NULL;
    if (!request->target == !request->profile)
        return ta_problem_set(why, TA_E_USAGE, "{run-on PROGRAM}", "say what to run %s on", request->image);
    if (request->profile)
        return catalog_profile(context, request->profile, context->arena, profile, why);
    enum ta_status status = bench_entry_read(context, request->target, &entry, why);
    *profile = entry.profile;
    if (!status && !target_is_simulated(&entry.target))
        *name = request->target;
    return status;
}

static enum ta_status run_bare(struct running *running) {
    const struct ta_run *request = running->request;
    struct ta_context *context = running->context;
    struct ta_profile profile;
    struct ta_hart_group first;
    struct ta_image image;
    struct target target = {0};
    const char *name;
    enum ta_status status = find_board(context, request, &profile, &name, running->why);
    if (status)
        return status;
    profile.semihosting = profile.semihosting && !request->no_semihosting;
    ta_profile_hart_group(&profile, 0, &first, NULL); /* whose first hart runs it */
    status = image_read(request->image, &profile, context->arena, &image, running->why);
    if (!status)
        status = ta_image_fits(&image, &profile, first.name, running->why);
    if (!status)
        status = target_open(context, name, &profile, "run", &target, running->why);
    if (status)
        return status;
    running->target = &target;
    running->images = &(struct images){&image, 1, NULL};
    running->name =
        arena_printf(context->arena, "%s on %s", request->image, request->target ? request->target : profile.name);
    report_title(running->report, "%s", running->name);
    status = power_and_run(running, true);
    target_close(&target);
    return status;
}

enum ta_status ta_run(struct ta_context *context, const char *folder, const struct ta_run *asked,
                      struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_run request = {0};
    struct ta_problem found = {0};
    struct running running = {.context = context, .request = &request, .report = report, .why = &found};
    enum ta_status status = request_copy(asked, &request, sizeof request, &found);
    if (!status)
        status = request.image ? run_bare(&running) : run_project(&running, folder);
    if (status)
        ta_problem_copy(why, &found);
    return step_end(&step, status);
}
