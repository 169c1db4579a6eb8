/* Boards of several groups of harts: an image a group, built, deployed, run and verified as one. */
#include "support.h"

/* The board heron on the bench, and a project with an image for its keeper and one for its workers, configured for COMPILER. */
static char *watch_post(const char *compiler) {
    char *project = test_path("watch-post");
    shell("cp -r " FIXTURES "/watch-post .");
    expect_done(tanchor(".", "bench", "add", "heron", "--profile", FIXTURES "/heron.yaml"));
    expect_done(tanchor(project, "configure", "--compiler", compiler));
    return project;
}

static void whole_chain(const char *compiler) {
    char *project = watch_post(compiler), *out = g_strdup_printf("out/heron-%s", compiler);
    struct ran ran = tanchor(project, "build");
    expect_row(ran, "image", out, "/keeper.elf, identity ");
    expect_row(ran, "image", out, "/crew.elf, identity ");
    ck_assert_msg(!strstr(ran.out, "warning") && !*ran.err, "%s%s", ran.out, ran.err);
    expect_shown(tanchor(project, "verify"), "pass  workers compute what the keeper asks");
    expect_shown(tanchor(project, "run"), "workers: 171590ae 171590af, 1414 1732");
    expect_shown(run_program(project, NULL, (const char *const[]){TANCHOR, NULL}), "heron holds this image");
    expect_shown(tanchor(project, "build"), "up to date, 14 files");
    ran = tanchor(project, "ready");
    expect_shown(ran, "rv32imac/ilp32, rv64imafdc/lp64d");
    expect_shown(ran, "3 sources, 1 trial");
    expect_shown(ran, "harts keeper, harts workers");
    ran = tanchor(project, "show", "--memory");
    expect_row(ran, "crew/", "worker-ram");
    expect_row(ran, "keeper/", "flash");
    expect_shown(tanchor(project, "show"), "all 14 files are as in the project now");
    expect_shown(tanchor(project, "build", "--clean", "setup", "--no-cache"), "14 of 14 files");
    g_free(out);
}

START_TEST(each_group_runs_its_own_image_by_gcc) {
    whole_chain("gcc");
}
END_TEST

START_TEST(each_group_runs_its_own_image_by_clang) {
    whole_chain("clang");
}
END_TEST

START_TEST(a_change_reaches_the_images_that_it_concerns) {
    char *project = watch_post("gcc");
    expect_done(tanchor(project, "verify"));
    edit(below(project, "worker/main.c"), "filled - 77", "filled - 76");
    expect_shown(tanchor(project, "build"), "1 of 14 files");
    struct ran ran = tanchor(project, "verify");
    ck_assert_int_eq(ran.code, 1);
    expect_shown(ran, "2414 2732");
    edit(below(project, "common/mix.c"), "12345u", "12346u"); /* both images have it */
    expect_shown(tanchor(project, "build"), "2 of 14 files");
    expect_shown(tanchor(project, "run"), "keeper on hart 0: 171590af, workers: 171590af 171590b0");
}
END_TEST

START_TEST(a_trap_is_told_in_the_terms_of_its_image) {
    char *project = watch_post("gcc");
    edit(below(project, "worker/main.c"), "own += (int)hart;", "own += *(volatile int *)4;");
    struct ran ran = tanchor(project, "run");
    ck_assert_int_eq(ran.code, 120);
    ck_assert_msg(strstr(ran.err, "load access fault") && strstr(ran.err, "in work (worker/main.c:11)"), "%s", ran.err);
    ran = tanchor(project, "verify");
    ck_assert_int_eq(ran.code, 1);
    ck_assert_msg(strstr(ran.out, "worker/main.c:11") != NULL, "%s", ran.out);
}
END_TEST

START_TEST(every_byte_of_every_image_is_looked_after) {
    char *project = watch_post("gcc"), *flash = test_path("home/bench/heron/worker-flash.bin");
    expect_done(tanchor(project, "build", "--form", "hex"));
    ck_assert(g_file_test(below(project, "out/heron-gcc/crew.hex"), G_FILE_TEST_EXISTS));
    expect_shown(tanchor(project, "deploy"), "every byte matches the image");
    expect_shown(tanchor(project, "deploy"), "nothing to do, heron holds this image");
    shell("printf x | dd of=home/bench/heron/worker-flash.bin bs=1 seek=200 conv=notrunc 2>&1");
    ck_assert(g_file_test(flash, G_FILE_TEST_EXISTS));
    expect_shown(run_program(project, NULL, (const char *const[]){TANCHOR, NULL}), "heron does not hold this image");
    expect_shown(tanchor(project, "run"), "workers: 171590ae");
    shell("dd if=/dev/zero of=home/bench/heron/worker-flash.bin bs=1 seek=200 count=9 conv=notrunc 2>&1");
    expect_shown(tanchor(project, "deploy", "out/heron-gcc/crew.elf"), "every byte matches the image");
    expect_shown(run_program(project, NULL, (const char *const[]){TANCHOR, NULL}), "heron holds this image");
    struct ran alone = tanchor(project, "run", "out/heron-gcc/crew.elf", "--target", "heron");
    expect_refusal(alone, 1, "is for RV64, heron is rv32imac_zicsr_zifencei");
    edit(below(project, "worker/main.c"), "zeroed;", "zeroed; const volatile char chart[300000] = {1};");
    edit(below(project, "worker/main.c"), "(filled - 77)", "(filled - 77) + chart[filled * 1000]");
    struct ran ran = tanchor(project, "build");
    ck_assert_int_eq(ran.code, 1);
    expect_row(ran, "worker-flash", "heron has 256 KiB", "chart 293.0 KiB");
}
END_TEST

/* What a manifest or a profile may get wrong. */
/* An image for the workers alone leaves what the keeper's flash holds: that would run beside it. */
START_TEST(what_another_project_left_is_told_and_can_be_emptied) {
    char *project = watch_post("gcc");
    expect_done(tanchor(project, "deploy"));
    shell("sed -i '/^  keeper:/d' watch-post/anchor.yaml");
    expect_done(tanchor(project, "configure"));
    for (int i = 0; i < 2; ++i) { /* nothing is kept of the first try */
        struct ran ran = tanchor(project, "deploy");
        expect_refusal(ran, 1, "heron still carries another image; tanchor bench factory heron, then tanchor deploy");
    }
    expect_done(tanchor(test_folder, "bench", "factory", "heron"));
    expect_done(tanchor(project, "deploy"));
}
END_TEST

START_TEST(images_that_cannot_be_are_refused) {
    char *project = watch_post("gcc"), *manifest = below(project, "anchor.yaml"), *profile = test_path("heron.yaml");
    static const struct {
        const char *from, *to, *what, *fix;
    } profiles[] =
        {
            {", image: worker-flash", "", "the harts workers of heron start in RAM", "name in its profile the flash"},
            {", image: worker-flash", ", image: flash", "keeper and workers of heron would both lie in flash",
             "of their own"},
            {", image: worker-flash", ", image: ram", "there is no flash \"ram\"", "name one of the profile's flash"},
            {"reset: 0x60000000", "reset: 0x24000000", "would both lie in ram", "of their own"},
        },
      manifests[] = {
          {"harts: workers", "harts: wrkers", "needs harts wrkers, which heron does not have", "with one that has it"},
          {"harts: workers", "harts: keeper", "keeper has the image keeper already", "one image"},
          {"sources: [worker/*.c]", "include: [common]", "the key sources is missing", "add it"},
          {"sources: [worker/*.c]", "sources: [worker/*.cc]", "worker/*.cc matches no file", "add the file"},
          {"sources: [worker/*.c]", "sources: [worker/main.c], include: [..]", "leads out of the project", "in-place"},
          {"  crew:", "  ../crew:", "\"../crew\"", "small letters"},
          {"images:", "images:\n  third: {sources: [common/mix.c]}", "needs harts third", "with one that has it"},
      };
    for (size_t i = 0; i < G_N_ELEMENTS(manifests); ++i) {
        shell("cp " FIXTURES "/watch-post/anchor.yaml watch-post/anchor.yaml");
        edit(manifest, manifests[i].from, manifests[i].to);
        struct ran ran = tanchor(project, "build");
        expect_refusal(ran, 1, manifests[i].what, manifests[i].fix);
    }
    shell("cp " FIXTURES "/watch-post/anchor.yaml watch-post/anchor.yaml");
    for (size_t i = 0; i < G_N_ELEMENTS(profiles); ++i) {
        shell("cp " FIXTURES "/heron.yaml heron.yaml");
        edit(profile, profiles[i].from, profiles[i].to);
        tanchor(".", "bench", "remove", "heron");
        struct ran ran = tanchor(".", "bench", "add", "heron", "--profile", profile);
        if (!ran.code)
            ran = tanchor(project, "build");
        expect_refusal(ran, 1, profiles[i].what, profiles[i].fix);
    }
}
END_TEST

/* A board without such harts is not even offered. */
START_TEST(boards_are_chosen_by_their_harts) {
    char *project = watch_post("gcc");
    expect_done(tanchor(".", "bench", "add", "plain", "--profile", "dunlin"));
    struct ran ran = tanchor(project, "configure", "--target", "plain");
    expect_refusal(ran, 1, "watch-post needs harts keeper, which dunlin does not have");
    shell("rm watch-post/setup.yaml");
    expect_shown(tanchor(project, "configure"), "heron, board with a keeper hart and two workers");
}
END_TEST

int main(void) {
    return run_suite("groups", (const TTest *const[]){
                                   each_group_runs_its_own_image_by_gcc, each_group_runs_its_own_image_by_clang,
                                   a_change_reaches_the_images_that_it_concerns,
                                   a_trap_is_told_in_the_terms_of_its_image, every_byte_of_every_image_is_looked_after,
                                   what_another_project_left_is_told_and_can_be_emptied,
                                   images_that_cannot_be_are_refused, boards_are_chosen_by_their_harts, NULL});
}
