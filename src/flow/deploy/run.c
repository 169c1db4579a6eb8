/* run: lets a program run, its console going to the caller as it comes. */
#include "base/units.h"
#include "flow/deploy/deployed.h"
#include "flow/deploy/inputs.h"
#include "flow/deploy/shown.h"
#include "flow/deploy/trapped.h"
#include "host/image_file.h"

/* How far the target runs between two looks at what is typed and at the clock. */
enum { SLICE_NS = 5000000 };

struct running {
    struct ta_context *context;
    const struct ta_run *request;
    const char *name; /* "tide-lamp on dunlin" */
    struct target *target;
    const struct images *images;
    struct ta_report *report;
    struct ta_problem *why;
    uint64_t now_ns;
    bool stopped, trapped, input_over;
    struct ta_event stop, trap; /* TRAP: the first one, or the one that it ran wild because of */
    struct ta_scene scene;      /* of that */
    struct ta_event cable;      /* the last one: what the other end of a cable makes of the target */
    GString *document;          /* what was typed there */
    struct hands hands;
    const char *redrawn; /* the screen that shows something else than was told; null: none */
    gint64 told_us;
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

static void take_event(struct running *running, const struct ta_event *event) {
    running->now_ns = event->time_ns;
    if (running->request->happened)
        running->request->happened(running->request->with, event);
    if (event->kind == TA_EVENT_CONSOLE && running->request->console)
        running->request->console(running->request->with, event->bytes, event->length);
    if (event->kind == TA_EVENT_OUTPUT && !event->width) {
        const struct ta_connector *screen = ta_profile_connector(running->target->profile, event->name);
        running->redrawn = screen ? screen->name : NULL;
    }
    if (event->kind == TA_EVENT_CABLE)
        running->cable = *event;
    if (event->kind == TA_EVENT_TYPED)
        g_string_append_len(running->document, (const char *)event->bytes, (gssize)event->length);
    if (event->kind == TA_EVENT_STOP) {
        running->stop = *event;
        running->stopped = true;
    }
    if (ta_trap_counts(event, running->trapped ? &running->trap : NULL)) {
        running->trap = *event;
        running->trapped = true;
        ta_scene_take(&running->target->port, event, &running->scene);
    }
}

static enum ta_status pass_input(struct running *running) {
    struct ta_port *port = &running->target->port;
    uint8_t bytes[256];
    if (running->input_over || !running->request->input || !(port->capabilities & TA_CAN_CONSOLE))
        return TA_OK;
    int length = running->request->input(running->request->with, bytes, sizeof bytes);
    running->input_over = length < 0;
    if (!length)
        return TA_OK;
    return port->type(port->self, bytes, length > 0 ? (size_t)length : 0, length < 0, running->why);
}

/* What is refused at the desk ends no run; a target that is gone does. */
static enum ta_status act_at_desk(struct running *running) {
    const struct ta_run *request = running->request;
    struct ta_problem refused;
    enum ta_status status = hands_let_go(&running->hands, running->target, running->now_ns, running->why);
    bool free = running->now_ns >= running->hands.free_ns;
    const char *what = !status && free && request->hands ? request->hands(request->with) : NULL;
    if (status || !what)
        return status;
    status = hands_do(&running->hands, running->target, what, running->now_ns, &refused);
    if (status && request->refused)
        request->refused(request->with, &refused);
    if (status == TA_E_PORT)
        ta_problem_copy(running->why, &refused);
    return status == TA_E_PORT ? status : TA_OK;
}

/* How lamps, inputs and switches stand, for those who show the board. */
static enum ta_status tell_board(struct running *running) {
    const struct ta_profile *profile = running->target->profile;
    const struct ta_run *request = running->request;
    struct ta_port *port = &running->target->port;
    if (request->board)
        request->board(request->with, profile);
    if (!request->board || !request->happened || !(port->capabilities & TA_CAN_OUTPUT))
        return TA_OK;
    for (size_t i = 0; i < profile->connector_count + profile->switch_count; ++i) {
        const struct ta_connector *connector = i < profile->connector_count ? &profile->connectors[i] : NULL;
        struct ta_event event = {.kind = TA_EVENT_INPUT};
        if (connector && connector->kind == TA_CONNECTOR_LAMPS)
            event = (struct ta_event){.kind = TA_EVENT_OUTPUT, .width = connector->count};
        else if (connector && connector->kind != TA_CONNECTOR_SENSOR && connector->kind != TA_CONNECTOR_BUTTON)
            continue;
        g_strlcpy(event.name, connector ? connector->name : profile->switches[i - profile->connector_count].name,
                  sizeof event.name);
        struct ta_problem unread; /* of a port that knows outputs alone */
        enum ta_status status = port->read_output(port->self, event.name, &event.value, &unread);
        if (status == TA_E_PORT)
            return ta_problem_copy(running->why, &unread), status;
        if (!status)
            request->happened(request->with, &event);
    }
    return TA_OK;
}

/* Sleeps until the host's clock has caught up with the device's. */
static void keep_pace(const struct running *running, gint64 start_us) {
    gint64 ahead_us = (gint64)(running->now_ns / 1000) - (g_get_monotonic_time() - start_us);
    if (running->request->real_time && ahead_us > 0)
        g_usleep((gulong)ahead_us);
}

static enum ta_status tell_screen(struct running *running) {
    enum { TELL_US = 50000 };
    struct ta_port *port = &running->target->port;
    struct ta_picture picture;
    gint64 now_us = g_get_monotonic_time();
    if (!running->redrawn || !running->request->showed || now_us - running->told_us < TELL_US ||
        !(port->capabilities & TA_CAN_PICTURE))
        return TA_OK;
    enum ta_status status = port->read_picture(port->self, running->redrawn, &picture, running->why);
    if (status)
        return status;
    running->request->showed(running->request->with, &picture);
    ta_picture_free(&picture);
    running->redrawn = NULL;
    running->told_us = now_us;
    return TA_OK;
}

static enum ta_status run_to_the_end(struct running *running) {
    struct ta_port *port = &running->target->port;
    uint64_t limit_ns = running->request->for_ns ? running->request->for_ns : UINT64_MAX;
    gint64 start_us = g_get_monotonic_time();
    enum ta_status status = port->resume(port->self, running->why);
    while (!status && !running->stopped && running->now_ns < limit_ns) {
        uint64_t slice_ns = running->now_ns + SLICE_NS < limit_ns ? running->now_ns + SLICE_NS : limit_ns;
        struct ta_event event = {.kind = TA_EVENT_CONSOLE};
        if (context_cancelled(running->context)) /* without a time limit, this is how a run ends */
            return running->request->for_ns ? ta_problem_set(running->why, TA_E_INTERRUPTED, NULL, "interrupted")
                                            : TA_OK;
        if (running->request->enough && running->request->enough(running->request->with))
            return TA_OK;
        status = pass_input(running);
        if (!status)
            status = act_at_desk(running);
        while (!status && !running->stopped && event.kind != TA_EVENT_TIME) {
            status = port->wait(port->self, slice_ns, &event, running->why);
            if (!status)
                take_event(running, &event);
        }
        status = status ? status : tell_screen(running);
        keep_pace(running, start_us);
    }
    return status;
}

static void report_trap(struct running *running, enum ta_level level, const char *fix) {
    trap_report(running->context->arena, running->images, running->target->profile, &running->scene, level, fix,
                running->report);
}

/* What a computer at the other end of a cable has to say. */
static void report_cable(struct running *running) {
    const struct ta_event *cable = &running->cable;
    const char *typed = running->document->str;
    if (cable->kind == TA_EVENT_CABLE && cable->value == TA_CABLE_REFUSED)
        report_add(running->report, TA_LEVEL_WARNING, cable->name, "look at what it answers to the computer's requests",
                   "the computer will not have it: %.*s", (int)cable->length, (const char *)cable->bytes);
    else if (cable->kind == TA_EVENT_CABLE && cable->length)
        report_add(running->report, TA_LEVEL_OK, cable->name, NULL, "the computer has found %.*s", (int)cable->length,
                   (const char *)cable->bytes);
    if (running->document->len)
        report_text(running->report, "document", typed);
    g_auto(GStrv) lines = g_strsplit(g_strchomp(running->document->str), "\n", -1);
    for (char **line = lines; *typed && *line; ++line)
        report_add(running->report, TA_LEVEL_OK, line == lines ? "typed" : "", NULL, "%s", *line);
}

static void report_end(struct running *running) {
    char time[UNIT_TEXT_BYTES];
    struct ta_report *report = running->report;
    unit_format(time, UNIT_TIME_NS, running->now_ns);
    report_text(report, "stop", ta_stop_text(running->stopped ? running->stop.stop : TA_STOP_NONE));
    report_number(report, "exit_code", running->stopped ? running->stop.code : 0);
    report_number(report, "time_ns", (int64_t)running->now_ns);
    report_cable(running);
    if (running->stopped && running->stop.stop == TA_STOP_WILD) {
        g_autofree char *fix = g_strdup_printf("%s; look at that line", ta_wild_text(running->stop.code));
        report_trap(running, TA_LEVEL_PROBLEM, fix);
    } else if (running->trapped) {
        report_trap(running, TA_LEVEL_WARNING, "the program's trap handler handled it; look at that line");
    }
    if (running->stopped && running->stop.stop == TA_STOP_ENDED)
        report_add(report, TA_LEVEL_OK, "ended", NULL, "%s with exit code %d after %s of device time", running->name,
                   running->stop.code, time);
    else
        report_add(report, TA_LEVEL_OK, "ran", NULL, "%s for %s of device time", running->name, time);
}

static enum ta_status set_inputs(struct running *running) {
    const struct ta_run *request = running->request;
    enum ta_status status =
        request->input_count ? ta_port_needs(&running->target->port, TA_CAN_INPUT, running->why) : TA_OK;
    for (size_t i = 0; !status && i < request->input_count; ++i)
        status = input_set(running->target, request->inputs[i], running->why);
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
               running->target->name);
    if (!memcmp(identity.bytes, ours.bytes, sizeof ours.bytes))
        return TA_OK;
    ta_identity_text(&identity, text, sizeof text);
    running->images = &none;
    running->name = arena_printf(running->context->arena, "the card's program on %s", running->target->name);
    report_title(running->report, "%s, identity %.8s", running->name, text);
    report_text(running->report, "identity", text);
    return TA_OK;
}

static enum ta_status power_and_run(struct running *running, bool bare) {
    struct ta_port *port = &running->target->port;
    enum ta_status status = ta_port_needs(port, TA_CAN_POWER, running->why);
    if (!status && running->request->command_line)
        status = ta_port_needs(port, TA_CAN_SEMIHOST, running->why);
    if (!status && port->capabilities & TA_CAN_SEMIHOST)
        status = port->command_line(port->self, running->request->command_line, running->why);
    if (!status)
        status = set_inputs(running);
    if (!status)
        status = look_at_card(running);
    if (!status)
        status = port->power(port->self, true, running->why);
    if (!status && bare)
        status = load_bare(running);
    if (!status)
        status = tell_board(running);
    if (!status && running->request->begins)
        running->request->begins(running->request->with, running->report);
    if (!status)
        status = run_to_the_end(running);
    if (!status && !bare)
        status = target_keep(running->target, running->why); /* the program may have written to flash or card */
    if (!status)
        status = shown_keep(running->target, running->request->screen, running->why);
    if (!status) {
        report_end(running);
        status = running->stopped && running->stop.stop == TA_STOP_WILD ? TA_E_NO : TA_OK;
    }
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

/* A bare image, on a target of the bench or on one made for it. The bench's flash stays as it was. */
static enum ta_status run_bare(struct running *running) {
    const struct ta_run *request = running->request;
    struct ta_context *context = running->context;
    struct ta_profile profile;
    struct ta_hart_group first;
    struct ta_image image;
    struct target target = {0};
    if (!request->target == !request->profile)
        return ta_problem_set(running->why, TA_E_USAGE, "{run-on PROGRAM}", "say what to run %s on", request->image);
    enum ta_status status = request->target
                                ? board_of_target(context, request->target, NULL, &profile, running->why)
                                : catalog_profile(context, request->profile, context->arena, &profile, running->why);
    if (status)
        return status;
    profile.semihosting = profile.semihosting && !request->no_semihosting;
    ta_profile_hart_group(&profile, 0, &first, NULL); /* whose first hart runs it */
    status = image_read(request->image, &profile, context->arena, &image, running->why);
    if (!status)
        status = ta_image_fits(&image, &profile, first.name, running->why);
    if (!status)
        status = target_open(context, NULL, &profile, NULL, &target, running->why);
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
    g_autoptr(GString) document = g_string_new(NULL);
    struct running running = {
        .context = context, .request = &request, .report = report, .why = &found, .document = document};
    enum ta_status status = request_copy(asked, &request, sizeof request, &found);
    if (!status)
        status = request.image ? run_bare(&running) : run_project(&running, folder);
    if (status)
        ta_problem_copy(why, &found);
    return step_end(&step, status);
}
