/* What a build of a project is planned from, and the images that it left. */
#include "flow/project/project.h"

#include "host/elf_file.h"
#include "host/git.h"
#include "host/scratch.h"
#include "host/stamp.h"

#include <unistd.h>

/* SOURCE_DATE_EPOCH (reproducible-builds.org), else 0. */
enum ta_status workspace_epoch(int64_t *epoch_s, bool *said, struct ta_problem *why) {
    static const int64_t latest = INT64_C(253402300799); /* of the year 9999 */
    const char *text = g_getenv("SOURCE_DATE_EPOCH");
    *said = text && *text;
    *epoch_s = 0;
    if (!*said || g_ascii_string_to_signed(text, 10, 0, latest, epoch_s, NULL))
        return TA_OK;
    return ta_problem_set(why, TA_E_USAGE, "write seconds since 1970, or unset it",
                          "the environment's SOURCE_DATE_EPOCH is not a number of seconds: %s", text);
}

int64_t workspace_time_s(const struct workspace *workspace, int64_t saved_ns) {
    static const char *const ours[] = {"out", ".tanchor", "setup.yaml", "compile_commands.json", SETTINGS_FILE, NULL};
    int64_t time_s = 0, committed_s;
    struct growing scratch;
    bool said;
    if (!workspace_epoch(&time_s, &said, NULL) && said)
        return time_s;
    time_s = saved_ns / G_GINT64_CONSTANT(1000000000);
    if (scratch_begin(workspace->context->cache, &scratch, NULL))
        return time_s;
    if (git_commit_time(workspace->folder, ours, saved_ns, scratch.folder, &committed_s))
        time_s = committed_s;
    growing_end(&scratch);
    return time_s;
}

/* The own part of the INDEX-th image: sources and folders, the harts that run it, the compiler for them. */
static enum ta_status image_inputs(struct workspace *workspace, size_t index, struct image_inputs *inputs,
                                   struct ta_problem *why) {
    const struct project *project = &workspace->project;
    const struct project_image *own = project->image_count ? &project->images[index] : NULL;
    enum ta_status status =
        image_place_find(&workspace->profile, workspace_harts(workspace, index), &inputs->place, why);
    if (!status)
        status = workspace_toolchain(workspace, inputs->place.group.isa, &inputs->toolchain, why);
    if (!own || status)
        return status;
    inputs->include = own->include;
    inputs->defines = own->defines;
    status = workspace_files(workspace, "sources", &own->sources, &inputs->sources, why);
    for (size_t i = 0; !status && i < own->include.count; ++i)
        status = workspace_path_check(workspace, "include", own->include.items[i], true, why);
    return status;
}

/* __DATE__ and __TIME__ as C writes them. */
static void set_date(struct workspace *workspace, int64_t epoch_s, struct plan_inputs *inputs) {
    static const char *const months[] = {"Jan", "Feb", "Mar", "Apr", "May", "Jun",
                                         "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"};
    g_autoptr(GDateTime) date = g_date_time_new_from_unix_utc(epoch_s);
    inputs->date = arena_printf(workspace->context->arena, "%s %2d %d", months[g_date_time_get_month(date) - 1],
                                g_date_time_get_day_of_month(date), g_date_time_get_year(date));
    inputs->time = arena_printf(workspace->context->arena, "%02d:%02d:%02d", g_date_time_get_hour(date),
                                g_date_time_get_minute(date), g_date_time_get_second(date));
}

/* A form that was asked for once is kept as the image is. */
static bool is_there(struct workspace *workspace, const char *form) {
    return g_file_test(workspace_path(workspace, form), G_FILE_TEST_EXISTS);
}

static enum ta_status check_card(const struct ta_profile *profile, const struct ta_build *build,
                                 struct ta_problem *why) {
    bool starts = !build->card;
    for (size_t i = 0; i < profile->switch_count; ++i)
        starts = starts || profile->switches[i].card;
    return starts ? TA_OK
                  : ta_problem_set(why, TA_E_INPUT, "leave --form card out", "%s does not start from a card",
                                   profile->name);
}

enum ta_status workspace_plan(struct workspace *workspace, const struct ta_build *build, struct plan *plan,
                              struct ta_problem *why) {
    struct arena *arena = workspace->context->arena;
    const struct layout *out = &workspace->layout;
    struct image_inputs *images = arena_alloc(arena, out->image_count * sizeof *images);
    struct plan_inputs *inputs = arena_alloc(arena, sizeof *inputs);
    int64_t epoch_s;
    bool said;
    *inputs = (struct plan_inputs){
        .project = &workspace->project,
        .folder = workspace->folder,
        .sdk = &workspace->sdk,
        .setup = &workspace->setup,
        .profile = &workspace->profile,
        .images = images,
        .image_count = out->image_count,
        .include = workspace->project.include,
        .hex = build->hex || is_there(workspace, out->images[0].hex),
        .srec = build->srec || is_there(workspace, out->images[0].srec),
        .card = build->card || is_there(workspace, out->card),
    };
    enum ta_status status = check_card(&workspace->profile, build, why);
    if (!status)
        status = workspace_epoch(&epoch_s, &said, why);
    if (status)
        return status;
    set_date(workspace, epoch_s, inputs);
    if (!status && workspace->project.sources.count)
        status = workspace_files(workspace, "sources", &workspace->project.sources, &inputs->sources, why);
    for (size_t i = 0; !status && i < out->image_count; ++i)
        status = image_inputs(workspace, i, &images[i], why);
    if (!status && workspace->project.assets.count)
        status = workspace_files(workspace, "assets", &workspace->project.assets, &inputs->assets, why);
    if (!status && workspace->project.fabric)
        status = workspace_path_check(workspace, "fabric", workspace->project.fabric, false, why);
    for (size_t i = 0; !status && i < inputs->include.count; ++i)
        status = workspace_path_check(workspace, "include", inputs->include.items[i], true, why);
    if (!status)
        status = workspace_components(workspace, &inputs->components, &inputs->component_count, why);
    return status ? status : plan_make(arena, inputs, plan, why);
}

struct read_image {
    struct stamp stamp;
    struct ta_image image;
};

/* A build, its forms and its deploy ask for the same image again and again. */
enum ta_status workspace_image(struct workspace *workspace, size_t index, struct ta_image *image,
                               struct ta_problem *why) {
    struct arena *arena = workspace->context->arena;
    const char *elf = workspace_path(workspace, workspace->layout.images[index].elf);
    struct stamp stamp;
    if (!stamp_of(elf, &stamp))
        return ta_problem_set(why, TA_E_NO, "{build}", "%s is not built yet", workspace->project.project);
    if (!workspace->images)
        workspace->images = arena_alloc(arena, workspace->layout.image_count * sizeof *workspace->images);
    struct read_image *known = &workspace->images[index];
    if (!stamps_equal(&stamp, &known->stamp)) {
        enum ta_status status = elf_read(elf, arena, image, why);
        if (status)
            return status;
        *known = (struct read_image){stamp, *image};
    }
    *image = known->image;
    return ta_image_fits(image, &workspace->profile, workspace_harts(workspace, index), why);
}

enum ta_status workspace_images(struct workspace *workspace, struct images *images, struct ta_problem *why) {
    size_t count = workspace->layout.image_count;
    enum ta_status status = TA_OK;
    *images = (struct images){arena_alloc(workspace->context->arena, count * sizeof *images->items), count, NULL};
    for (size_t i = 0; !status && i < count; ++i)
        status = workspace_image(workspace, i, &images->items[i], why);
    return status;
}

/* A build gives its image a new file, and leaves the one that is open to whoever reads it. */
void images_hold(struct workspace *workspace, struct images *images) {
    images->files = g_new(int, images->count + 1);
    for (size_t i = 0; i < images->count; ++i) {
        struct ta_problem unheard;
        if (file_open(images->items[i].path, &images->files[i], &unheard))
            images->files[i] = -1;
        else
            images->items[i].path = arena_printf(workspace->context->arena, "/proc/self/fd/%d", images->files[i]);
    }
}

void images_release(struct images *images) {
    for (size_t i = 0; images->files && i < images->count; ++i)
        if (images->files[i] >= 0)
            close(images->files[i]);
    g_clear_pointer(&images->files, g_free);
}

struct ta_identity images_identity(const struct images *images) {
    static const struct ta_identity none;
    return images->count ? images->items[0].identity : none;
}

const struct ta_image *images_at(const struct images *images, uint64_t address) {
    static const struct ta_image none;
    for (size_t i = 0; i < images->count; ++i)
        for (size_t k = 0; k < images->items[i].segment_count; ++k) {
            const struct ta_segment *segment = &images->items[i].segments[k];
            if (address - segment->run_address < segment->memory_bytes)
                return &images->items[i];
        }
    return images->count ? &images->items[0] : &none;
}
