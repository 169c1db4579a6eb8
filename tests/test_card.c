/* Storage cards and logic fabrics: what devices keep without power, through their registers, through snapshots, on the bench and in trials. */
#include "on_board.h"

#include "tameanchor/boot.h"
#include "tameanchor/fabric.h"

#include <glib/gstdio.h>
#include <string.h>

enum { RAM = 0x10000000, SPI = 0x50000000, FABRIC = 0x60000000, BLOCKS = 2048 };
enum { CONTROL = 0, SELECT = 4, DATA = 8, STATUS = 12, DIVISOR = 16 };

static const char *slot_positions[] = {"empty", "inserted"}, *lock_positions[] = {"open", "locked"};
static const struct ta_switch switches[] = {
    {.name = "card slot", .positions = slot_positions, .position_count = 2},
    {.name = "card lock", .positions = lock_positions, .position_count = 2},
};
static const struct ta_memory memories[] = {{"ram", TA_MEMORY_RAM, RAM, 64 * 1024}};
static const struct ta_option blocks = {"blocks", BLOCKS};
static const struct ta_device devices[] = {
    {.name = "spi0", .model = "spi", .base = SPI},
    {.name = "card0", .model = "storage-card", .on = "spi0", .address = 3, .options = &blocks, .option_count = 1},
    {.name = "fabric0", .model = "fabric", .base = FABRIC}};
static const struct ta_connector connectors[] = {
    {.name = "card", .kind = TA_CONNECTOR_CARD, .device = "card0", .by = "card slot", .when = "inserted"}};
static const struct ta_profile board = {.name = "carded",
                                        .version = "1.0.0",
                                        .struct_version = TA_PROFILE_VERSION,
                                        .isa = "rv64imac_zicsr",
                                        .clock_hz = 10000000,
                                        .reset_address = RAM,
                                        .memories = memories,
                                        .memory_count = 1,
                                        .devices = devices,
                                        .device_count = 3,
                                        .connectors = connectors,
                                        .connector_count = 1,
                                        .switches = switches,
                                        .switch_count = 2};

static void start(void) {
    switch_on();
    poke(SPI + CONTROL, 1);
    poke(SPI + DIVISOR, 1);
}

static void power_on(void) {
    make_board(&board);
    start();
}

static uint8_t exchange(uint8_t byte) {
    poke(SPI + DATA, byte);
    while (peek(SPI + STATUS) & 1)
        pass(100);
    return (uint8_t)peek(SPI + DATA);
}

static uint8_t command(uint8_t number, uint32_t argument, uint8_t check) {
    poke(SPI + SELECT, 0xff);
    poke(SPI + SELECT, 3);
    const uint8_t bytes[] = {0x40 | number,
                             (uint8_t)(argument >> 24),
                             (uint8_t)(argument >> 16),
                             (uint8_t)(argument >> 8),
                             (uint8_t)argument,
                             check};
    for (size_t i = 0; i < sizeof bytes; ++i)
        exchange(bytes[i]);
    uint8_t answer = 0xff;
    for (int i = 0; i < 4 && answer == 0xff; ++i)
        answer = exchange(0xff);
    return answer;
}

static void insert(uint64_t in) {
    set("card slot", in);
}

static void wake_card(void) {
    ck_assert_uint_eq(command(0, 0, 0x95), 1);
    ck_assert_uint_eq(command(8, 0x1aa, 0x87), 1);
    for (int i = 0; i < 10; ++i) {
        command(55, 0, 0xff);
        if (!command(41, 1u << 30, 0xff))
            return;
    }
    ck_abort_msg("the card does not wake");
}

static void send_block(uint8_t fill) {
    exchange(0xfe);
    for (int i = 0; i < 514; ++i)
        exchange(i < 512 ? fill : 0);
}

START_TEST(a_card_answers_as_the_standard_says) {
    power_on();
    ck_assert_uint_eq(command(0, 0, 0x95), 0xff); /* there is none */
    insert(1);
    ck_assert_uint_eq(command(0, 0, 0x94), 0x08 | 1);  /* a wrong check */
    ck_assert_uint_eq(command(17, 0, 0xff), 0x04 | 1); /* it is not awake: it gives no block, and takes none */
    for (int i = 0; i < 20; ++i)
        ck_assert_uint_eq(exchange(0xff), 0xff);
    ck_assert_uint_eq(command(24, 3, 0xff), 0x04 | 1);
    send_block(0x33);
    ck_assert_uint_eq(exchange(0xff), 0xff);
    pass(2000000);
    uint8_t byte = 0;
    ck_assert(!ta_machine_store_read(machine, "card0", 3 * 512, &byte, 1) && byte == 0xff);
    ck_assert_uint_eq(command(0, 0, 0x95), 1);
    ck_assert_uint_eq(command(8, 0x1aa, 0x87), 1);
    ck_assert(exchange(0xff) == 0 && exchange(0xff) == 0 && exchange(0xff) == 1 && exchange(0xff) == 0xaa);
    ck_assert_uint_eq(command(41, 0, 0xff), 0x04 | 1); /* without 55 before it */
    wake_card();
    ck_assert_uint_eq(command(58, 0, 0xff), 0);
    ck_assert_uint_eq(exchange(0xff), 0xc0);
    ck_assert_uint_eq(command(9, 0, 0xff), 0);
    uint8_t csd[16];
    ck_assert_uint_eq(exchange(0xff), 0xfe);
    for (int i = 0; i < 16; ++i)
        csd[i] = exchange(0xff);
    ck_assert_uint_eq((csd[8] << 8) + csd[9] + 1, BLOCKS / 1024);
    ck_assert_uint_eq(command(17, BLOCKS, 0xff), 0x40);
    ck_assert_uint_eq(command(24, BLOCKS, 0xff), 0x40);
    ck_assert_uint_eq(command(59, 0, 0xff), 0x04);
    ck_assert_uint_eq(command(13, 0, 0xff), 0);

    /* A block written is busy for a millisecond, and is read back. */
    ck_assert_uint_eq(command(24, 5, 0xff), 0);
    exchange(0xff);
    send_block(0x5a);
    ck_assert_uint_eq(exchange(0xff), 0x05);
    ck_assert_uint_eq(exchange(0xff), 0x00);
    pass(1100000);
    ck_assert_uint_eq(exchange(0xff), 0xff);
    ck_assert_uint_eq(command(17, 5, 0xff), 0);
    ck_assert_uint_eq(exchange(0xff), 0xfe);
    for (int i = 0; i < 512; ++i)
        ck_assert_uint_eq(exchange(0xff), 0x5a);
    exchange(0xff);
    exchange(0xff);
    ck_assert_uint_eq(exchange(0xff), 0xff);
    ck_assert(!ta_machine_store_read(machine, "card0", 5 * 512, &byte, 1) && byte == 0x5a);
    ck_assert(!ta_machine_store_read(machine, "card0", 6 * 512, &byte, 1) && byte == 0xff);

    /* Locked, it is read only; pulled out, it is gone, and has to be woken again. */
    ck_assert(!ta_machine_set_input(machine, "card lock", 1, NULL));
    ck_assert_uint_eq(command(24, 5, 0xff), 0);
    send_block(0x11);
    ck_assert_uint_eq(exchange(0xff), 0x0d);
    ck_assert(!ta_machine_store_read(machine, "card0", 5 * 512, &byte, 1) && byte == 0x5a);
    insert(0);
    ck_assert_uint_eq(command(17, 5, 0xff), 0xff);
    insert(1);
    ck_assert_uint_eq(command(17, 5, 0xff), 0x04 | 1);
    ta_machine_free(machine);
}
END_TEST

/* Whenever the power goes, or the card, the block has some of the new bytes and the rest of the old ones; nothing else changes. */
START_TEST(a_block_that_is_cut_off_is_half_written) {
    struct ta_snapshot *snapshot;
    unsigned whole = 0, none = 0, torn = 0;
    power_on();
    insert(1);
    wake_card();
    ck_assert_uint_eq(command(24, 9, 0xff), 0);
    send_block(0x77);
    ck_assert(!ta_machine_save(machine, &snapshot));
    for (unsigned i = 0; i < 200; ++i) {
        uint8_t bytes[3 * 512];
        ck_assert(!ta_machine_restore(machine, snapshot, NULL));
        pass(i * UINT64_C(6000));
        if (i % 2)
            ta_machine_power(machine, false);
        else
            insert(0);
        if (i % 2)
            start();
        pass(2000000);
        ck_assert(!ta_machine_store_read(machine, "card0", 8 * 512, bytes, sizeof bytes));
        unsigned count = 0;
        while (count < 512 && bytes[512 + count] == 0x77)
            ++count;
        for (unsigned k = 0; k < sizeof bytes; ++k)
            ck_assert(bytes[k] == (k >= 512 && k < 512 + count ? 0x77 : 0xff));
        whole += count == 512;
        none += count == 0;
        torn += count > 0 && count < 512;
    }
    ck_assert(whole > 5 && none > 5 && torn > 100);
    ta_snapshot_free(snapshot);
    ta_machine_free(machine);
}
END_TEST

/* A card that a board starts from: the parts of SIZES bytes at ADDRESSES, filled with 0x13, a nop each fourth byte. */
static void write_boot(const uint64_t *addresses, const uint64_t *sizes, size_t count) {
    struct ta_boot boot = {.count = count};
    for (size_t i = 0; i < count; ++i)
        boot.parts[i] = (struct ta_boot_part){.address = addresses[i], .size_bytes = sizes[i]};
    ck_assert(ta_boot_place(&boot));
    g_autofree uint8_t *card = g_malloc0((size_t)boot.blocks * TA_BOOT_BLOCK);
    ta_boot_write(&boot, card);
    for (size_t i = 0; i < count; ++i)
        memset(card + (size_t)boot.parts[i].first * TA_BOOT_BLOCK, 0x13 + (int)i, (size_t)sizes[i]);
    boot.check = ta_boot_check(card, (size_t)boot.blocks * TA_BOOT_BLOCK);
    ta_boot_write(&boot, card);
    ck_assert(!ta_machine_store_write(machine, "card0", 0, card, (size_t)boot.blocks * TA_BOOT_BLOCK));
}

/* Whether the harts start, with the switch at "card". */
static bool starts(void) {
    ta_machine_power(machine, true);
    return !machine->harts[0].hart.state.held;
}

static bool read_bytes(void *card, uint32_t block, uint8_t bytes[TA_BOOT_BLOCK]) {
    memcpy(bytes, (const uint8_t *)card + (size_t)block * TA_BOOT_BLOCK, TA_BOOT_BLOCK);
    return true;
}

static uint8_t flash_byte(uint64_t address) {
    uint8_t byte = 0;
    ck_assert(!ta_machine_read(machine, address, &byte, 1));
    return byte;
}

START_TEST(a_board_starts_from_its_card) {
    enum { FLASH = 0x20000000, FLASH_BYTES = 4096 };
    static const char *boot_positions[] = {"card", "flash"};
    const struct ta_memory both[] = {memories[0], {"flash", TA_MEMORY_FLASH, FLASH, FLASH_BYTES}};
    const struct ta_switch three[] = {
        switches[0],
        switches[1],
        {.name = "boot", .positions = boot_positions, .position_count = 2, .run = "flash", .card = "card"}};
    const uint64_t addresses[] = {FLASH, FLASH + 1024}, sizes[] = {700, 512},
                   far[] = {FLASH, FLASH + FLASH_BYTES - 511}, ram[] = {RAM, FLASH};
    struct ta_profile profile = board;
    struct ta_problem why;
    uint8_t byte, block[TA_BOOT_BLOCK], before[FLASH_BYTES];
    struct ta_boot boot;
    profile.memories = both;
    profile.memory_count = 2;
    profile.switches = three;
    profile.switch_count = 3;
    profile.reset_address = FLASH;
    ck_assert(!ta_machine_new(&profile, NULL, 0, &machine, &why));
    ck_assert(!starts()); /* no card is in */
    insert(1);
    ck_assert(!starts()); /* it is empty */
    write_boot(addresses, sizes, 2);
    memset(before, 0x77, sizeof before);
    ck_assert(!ta_machine_write(machine, FLASH, before, sizeof before));
    ck_assert(starts());
    ck_assert(flash_byte(FLASH) == 0x13 && flash_byte(FLASH + 699) == 0x13 && flash_byte(FLASH + 700) == 0x77);
    ck_assert(flash_byte(FLASH + 1024) == 0x14 && flash_byte(FLASH + 1535) == 0x14 && flash_byte(FLASH + 1536) == 0x77);
    ck_assert_uint_eq(machine->harts[0].hart.state.pc, FLASH);
    insert(0);
    ck_assert(!starts());
    set("boot", 1);
    ck_assert(starts()); /* from flash, as the card left it */
    set("boot", 0);
    insert(1);

    /* Any byte that is another makes it none, and changes nothing. */
    memset(block, 0, sizeof block);
    ck_assert(!ta_machine_write(machine, FLASH, block, sizeof block));
    for (size_t at = 0; at < 4 * TA_BOOT_BLOCK; at += at < 130 ? 1 : 61) {
        ck_assert(!ta_machine_store_read(machine, "card0", at, &byte, 1));
        byte ^= 0x10;
        ck_assert(!ta_machine_store_write(machine, "card0", at, &byte, 1));
        ck_assert_msg(!starts() && flash_byte(FLASH) == 0, "%zu", at);
        byte ^= 0x10;
        ck_assert(!ta_machine_store_write(machine, "card0", at, &byte, 1));
    }
    ck_assert(starts() && flash_byte(FLASH) == 0x13);
    write_boot(far, sizes, 2); /* it ends a byte behind the flash */
    ck_assert(!starts());
    write_boot(ram, sizes, 2);
    ck_assert(!starts());

    /* What the head says is taken as it is written, and nothing else, though the check is right. */
    struct ta_boot odd[] = {{.parts = {{FLASH, 512, 1}}, .count = 1, .blocks = 2},
                            {.parts = {{FLASH, 0, 1}}, .count = 1, .blocks = 1},
                            {.parts = {{FLASH, 10, 2}}, .count = 1, .blocks = 2},
                            {.parts = {{FLASH, 10, 1}}, .count = 1, .blocks = 3},
                            {.count = 0, .blocks = 1}};
    for (size_t i = 0; i < G_N_ELEMENTS(odd); ++i) {
        uint8_t card[3 * TA_BOOT_BLOCK] = {0};
        ta_boot_write(&odd[i], card);
        odd[i].check = ta_boot_check(card, odd[i].blocks * TA_BOOT_BLOCK);
        ta_boot_write(&odd[i], card);
        ck_assert_msg(ta_boot_read(read_bytes, card, &boot) == (i == 0), "%zu", i);
    }
    struct ta_boot huge = {.parts = {{FLASH, UINT64_MAX, 0}}, .count = 1};
    ck_assert(!ta_boot_place(&huge));
    ta_machine_free(machine);
    profile.connector_count = 0;
    ck_assert_int_eq(ta_profile_check(&profile, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "switches.boot.card: there is no card to start from");
}
END_TEST

/* The build makes such a card of all images; the bench takes it; run says what is missing. */
START_TEST(a_card_is_built_and_started_from) {
    expect_done(tanchor(test_folder, "import", "watch-board"));
    char *project = test_path("watch-board");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    expect_row(tanchor(project, "build", "--form", "card"), "card", "out/eider-gcc/card.img");
    expect_done(tanchor(project, "deploy"));
    expect_done(tanchor(project, "bench", "switch", "eider", "boot=card"));
    struct ran ran = tanchor(project, "run", "--for", "10ms");
    expect_refusal(ran, 1,
                   "from which it is to start; card slot is empty; tanchor bench switch eider 'card slot=inserted'");
    ran = tanchor(project, "run", "--for", "10ms", "--input", "card slot=inserted");
    expect_refusal(ran, 1,
                   "its card holds no program to start from; tanchor build --form card makes one, tanchor bench "
                   "card-in NAME FILE puts");
    ran = tanchor(project, "verify");
    expect_refusal(ran, 1, "boot of eider is card: trials begin with an empty card");
    expect_row(tanchor(project, "ready"), "trials", "boot of eider is card: trials begin with an empty card");
    expect_done(tanchor(project, "bench", "card-in", "eider", "out/eider-gcc/card.img"));
    expect_done(tanchor(project, "bench", "switch", "eider", "card slot=inserted"));
    shell("rm $TANCHOR_HOME/bench/eider/flash*.bin $TANCHOR_HOME/bench/eider/worker-flash*.bin 2>/dev/null; true");
    ran = tanchor(project, "run", "--for", "700ms");
    ck_assert_ptr_nonnull(strstr(ran.err, "eider starts from its card, which goes to its flash"));
    ck_assert_msg(strstr(ran.out, "beat 5: 10 answers checked, 0 wrong"), "%s", ran.out);
    expect_done(tanchor(project, "build", "--clean", "setup"));
    ck_assert(!g_file_test(below(project, "out/eider-gcc/card.img"), G_FILE_TEST_EXISTS));
    expect_done(tanchor(test_folder, "import", "first-light"));
    expect_done(tanchor(test_path("first-light"), "configure", "--target", "dunlin"));
    ran = tanchor(test_path("first-light"), "build", "--form", "card");
    expect_refusal(ran, 1, "dunlin does not start from a card");
}
END_TEST

/* No hart reaches what a device keeps, wherever it looks; a fork has its own. */
START_TEST(what_a_device_keeps_is_its_own) {
    struct ta_snapshot *snapshot;
    uint8_t byte = 1, read = 0;
    uint64_t value;
    power_on();
    ck_assert_uint_eq(ta_machine_store_size(machine, "card0"), BLOCKS * 512);
    ck_assert_uint_eq(ta_machine_store_size(machine, "spi0"), 0);
    for (size_t i = 0; i < machine->bus.count; ++i)
        if (machine->bus.regions[i].stored) {
            uint64_t base = machine->bus.regions[i].base;
            ck_assert(!hart_load(&machine->harts[0].hart, base, 4, &value) &&
                      !hart_store(&machine->harts[0].hart, base + 8, 4, 0));
            ck_assert(ta_machine_read(machine, base, &byte, 1) && ta_machine_write(machine, base, &byte, 1));
        }
    ck_assert(!ta_machine_store_write(machine, "card0", BLOCKS * 512 - 1, &byte, 1));
    ck_assert_int_eq(ta_machine_store_write(machine, "card0", BLOCKS * 512, &byte, 1), TA_E_INPUT);
    ck_assert_int_eq(ta_machine_store_write(machine, "card0", UINT64_MAX, &byte, 1), TA_E_INPUT);
    ck_assert_int_eq(ta_machine_store_write(machine, "card0", UINT64_MAX - 3, &byte, 8), TA_E_INPUT);
    ck_assert_int_eq(ta_machine_store_read(machine, "ram", 0, &byte, 1), TA_E_INPUT);
    ck_assert(!ta_machine_save(machine, &snapshot));
    byte = 2;
    ck_assert(!ta_machine_store_write(machine, "card0", BLOCKS * 512 - 1, &byte, 1));
    ck_assert(!ta_machine_fork(machine, snapshot, NULL));
    ck_assert(!ta_machine_store_read(machine, "card0", BLOCKS * 512 - 1, &read, 1) && read == 1);
    ck_assert(!ta_machine_fork(machine, snapshot, NULL));
    ta_machine_power(machine, true); /* which keeps it, of its own */
    ta_snapshot_free(snapshot);
    ck_assert(!ta_machine_store_read(machine, "card0", BLOCKS * 512 - 1, &read, 1) && read == 1);
    ta_machine_free(machine);
}
END_TEST

static void load_fabric(const uint8_t *bytes, size_t length) {
    ck_assert(!ta_machine_store_write(machine, "fabric0", 0, bytes, length));
    ta_machine_power(machine, true);
    poke(RAM, 0x6f);
}

START_TEST(a_fabric_is_what_its_image_says) {
    struct ta_fabric_image image = {.blocks = {{TA_FABRIC_REGISTERS, 0x100, 4, 0},
                                               {TA_FABRIC_COUNTER, 0x200, 1000, 0},
                                               {TA_FABRIC_AVERAGE, 0x300, 3, 0},
                                               {TA_FABRIC_REGISTERS, 0xfffc, 1, 0}},
                                    .count = 4,
                                    .built_s = UINT64_C(0x123456789a),
                                    .identity = {0xaa, 0xbb, 0xcc, 0xdd, [31] = 0x99}};
    struct ta_fabric_image again;
    uint8_t bytes[TA_FABRIC_IMAGE_BYTES];
    size_t size = ta_fabric_write(&image, bytes);
    power_on();
    for (uint32_t at = 0; at < 0x400; at += 4) {
        poke(FABRIC + at, 5);
        ck_assert_uint_eq(peek(FABRIC + at), 0); /* it is blank */
    }
    load_fabric(bytes, size);
    ck_assert(peek(FABRIC) == TA_FABRIC_MAGIC && peek(FABRIC + 4) == 4 && peek(FABRIC + 8) == 0x3456789a &&
              peek(FABRIC + 0xc) == 0x12 && peek(FABRIC + 0x10) == 0xddccbbaa && peek(FABRIC + 0x2c) == 0x99000000 &&
              peek(FABRIC + 0x30) == 0);
    poke(FABRIC + 0x10c, 77);
    poke(FABRIC + 0x110, 78); /* behind them */
    poke(FABRIC + 0xfffc, 79);
    ck_assert(peek(FABRIC + 0x10c) == 77 && peek(FABRIC + 0x110) == 0 && peek(FABRIC + 0xfffc) == 79);
    pass(5500000);
    ck_assert_uint_eq(peek(FABRIC + 0x200), 5);
    poke(FABRIC + 0x204, 4);
    ck_assert(peek(FABRIC + 0x200) == 1 && peek(FABRIC + 0x204) == 4);
    ck_assert_uint_eq(peek(FABRIC + 0x304), 0);
    static const uint32_t numbers[] = {10, 20, 40, 100, 200}, means[] = {10, 15, 23, 53, 113};
    for (int i = 0; i < 5; ++i) {
        poke(FABRIC + 0x300, numbers[i]);
        ck_assert_uint_eq(peek(FABRIC + 0x304), means[i]);
    }
    ta_machine_reset(machine);
    ck_assert(peek(FABRIC + 0x10c) == 0 && peek(FABRIC + 0x304) == 0 && peek(FABRIC) == TA_FABRIC_MAGIC);

    /* One bit that is wrong makes it blank; so do blocks that cannot be. */
    ck_assert(ta_fabric_read(bytes, size, &again) && again.count == 4 && !memcmp(again.identity, image.identity, 32));
    for (size_t i = 0; i < size; ++i) {
        bytes[i] ^= 4;
        ck_assert(!ta_fabric_read(bytes, size, &again) && again.count == 0);
        bytes[i] ^= 4;
        ck_assert(!ta_fabric_read(bytes, i, &again));
    }
    static const struct ta_fabric_block wrong[] = {
        {TA_FABRIC_NONE, 0x400, 1, 0},        {TA_FABRIC_KINDS, 0x400, 1, 0},     {TA_FABRIC_REGISTERS, 0x400, 0, 0},
        {TA_FABRIC_REGISTERS, 0x400, 257, 0}, {TA_FABRIC_REGISTERS, 0x402, 1, 0}, {TA_FABRIC_REGISTERS, 0xfc, 1, 0},
        {TA_FABRIC_REGISTERS, 0xfffc, 2, 0},  {TA_FABRIC_COUNTER, 0x10c, 1, 0},   {TA_FABRIC_COUNTER, 0xfc, 1, 0},
        {TA_FABRIC_AVERAGE, 0x400, 65, 0},    {TA_FABRIC_COUNTER, 0x400, 0, 0},   {TA_FABRIC_REGISTERS, 0x1f8, 3, 0},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); ++i) {
        struct ta_fabric_image bad = image;
        bad.blocks[3] = wrong[i];
        size = ta_fabric_write(&bad, bytes);
        ck_assert_msg(!ta_fabric_read(bytes, size, &again), "%zu", i);
    }
    load_fabric(bytes, size);
    ck_assert_uint_eq(peek(FABRIC), 0);
    ta_machine_free(machine);
}
END_TEST

START_TEST(parts_stand_where_their_bus_has_addresses) {
    static const struct {
        const char *model;
        unsigned address;
        const char *what;
    } cases[] = {
        {"spi", 8, "devices.card0.address: addresses on spi0 are 0x00 to 0x07"},
        {"i2c", 7, "devices.card0.address: addresses on spi0 are 0x08 to 0x77"},
        {"gpio", 8, "devices.card0.on: spi0 is no bus"},
    };
    struct ta_problem why;
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct ta_device two[] = {devices[0], devices[1]};
        struct ta_profile profile = board;
        two[0].model = cases[i].model;
        two[1].address = cases[i].address;
        profile.devices = two;
        profile.device_count = 2;
        ck_assert(ta_machine_new(&profile, NULL, 0, &machine, &why) == TA_E_INPUT);
        ck_assert_str_eq(why.what, cases[i].what);
    }
    static const struct ta_connector no_card = {.name = "card", .kind = TA_CONNECTOR_CARD, .device = "spi0"};
    struct ta_profile profile = board;
    profile.connectors = &no_card;
    ck_assert(ta_machine_new(&profile, NULL, 0, &machine, &why) == TA_E_INPUT);
    ck_assert_str_eq(why.what, "connectors.card: spi0 is no card");
}
END_TEST

/* On the bench, and in trials. */
START_TEST(cards_are_files_and_stay_as_they_are) {
    static const struct {
        const char *from, *to, *place, *what;
    } wrong[] = {
        {"at 200 instants within 14 ms", "at 1 instants within 14 ms", ":21:16", "2 to 10000"},
        {"at 200 instants within 14 ms", "at 20 instants", ":21:", "within, and a time"},
        {"at 200 instants within 14 ms", "at 20 instants within 1 ms\n  power on\n  cut power at 3 instants within 1 s",
         ":23:3", "once in a trial"},
        {"insert card slot\n", "insert card slot \"none.img\"\n", ":2:20", "there is no file trials/none.img"},
        {"insert card slot\n", "insert card slot \"card.trial\"\n", ":2:20", "a card has whole blocks of 512 bytes"},
        {"insert card slot\n", "insert card slot \"big.img\"\n", ":2:3", "the card of eider has 2097152"},
        {"insert card slot\n", "insert card lock\n", ":2:3", "card lock of eider has no position \"inserted\""},
    };
    expect_done(tanchor(test_folder, "import", "card-log"));
    char *project = test_path("card-log");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    gsize large = 2097152 + 512;
    g_autofree char *zeros = g_malloc0(large);
    ck_assert(g_file_set_contents(below(project, "trials/big.img"), zeros, (gssize)large, NULL));
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); ++i) {
        edit(below(project, "trials/card.trial"), wrong[i].from, wrong[i].to);
        struct ran ran = tanchor(project, "verify");
        expect_refusal(ran, 1, wrong[i].place, wrong[i].what);
        edit(below(project, "trials/card.trial"), wrong[i].to, wrong[i].from);
    }
    /* What run writes stays; trials begin with an empty card, whatever that is. */
    expect_shown(tanchor(project, "run", "--for", "1.2s", "--input", "card slot=inserted"), "noted 2: all well, 999");
    expect_shown(tanchor(project, "run", "--for", "300ms", "--input", "card slot=inserted"),
                 "log has 2 entries, the last: all well, 999 to go");
    expect_shown(tanchor(project, "verify", "goes on", "no card"), "2 of 2 passed");
    expect_shown(tanchor(project, "run", "--for", "300ms", "--input", "card slot=inserted"), "log has 2 entries");
    expect_done(tanchor(project, "bench", "card-out", "eider", "trials/log.img"));
    char *bytes;
    gsize length;
    ck_assert(g_file_get_contents(below(project, "trials/log.img"), &bytes, &length, NULL));
    ck_assert_uint_eq(length, 2097152);
    ck_assert(!memcmp(bytes + 9 * 512, "EWlg\1\0\0\0", 8) && !strcmp(bytes + 9 * 512 + 444, "all well, 1000 to go"));
    g_free(bytes);
    write_text(below(project, "trials/more.trial"),
               "trial \"it reads another log\"\n  insert card slot \"log.img\"\n  power on\n"
               "  within 200 ms console says \"log has 2 entries\"\n");
    expect_shown(tanchor(project, "verify", "another"), "1 of 1 passed");

    /* A log that always writes one block loses it when the power goes. */
    edit(below(project, "src/log.c"), "FIRST_BLOCK + block.entry.number % ENTRIES", "FIRST_BLOCK");
    struct ran ran = tanchor(project, "verify", "power cut");
    expect_row(ran, "fail", "the log survives a power cut at any instant");
    expect_shown(ran, "power cut 0.0");

    expect_done(tanchor(project, "bench", "factory", "eider"));
    expect_shown(tanchor(project, "run", "--for", "300ms", "--input", "card slot=inserted"), "log is empty");
    expect_done(tanchor(project, "bench", "card-in", "eider", "trials/log.img"));
    expect_done(tanchor(project, "bench", "switch", "eider", "card slot=inserted"));
    expect_shown(tanchor(project, "run", "--for", "300ms"), "log has 2 entries");
    write_text(below(project, "odd.img"), "odd");
    ran = tanchor(project, "bench", "card-in", "eider", "odd.img");
    expect_refusal(ran, 1, "odd.img has 3 bytes; a card has whole blocks of 512 bytes");
    ran = tanchor(project, "bench", "card-in", "eider", "trials/big.img");
    expect_refusal(ran, 1, "big.img");
    expect_done(tanchor(project, "bench", "add", "small", "--profile", "dunlin"));
    ran = tanchor(project, "bench", "card-out", "small", "x.img");
    expect_refusal(ran, 1, "small takes no card");
    ran = tanchor(project, "bench", "factory", "none");
    expect_refusal(ran, 1, "there is no target \"none\"");
    expect_shown(tanchor(project, "run", "--for", "300ms"), "log has 2 entries"); /* and nothing was lost by all that */
}
END_TEST

/* The build makes the fabric's image and its header of the description, deploy loads it, and what is not right is told before a run. */
START_TEST(a_fabric_is_built_loaded_and_told) {
    static const struct {
        const char *from, *to, *place, *what;
    } wrong[] = {
        {"at: 0x0200", "at: 0x0104", "fabric.yaml:8:25", "blocks.beat.at: steady lies at 0x100 already"},
        {"at: 0x0200", "at: 0x0202", "fabric.yaml:8:25", "blocks.beat.at: it cannot be at 0x202"},
        {"at: 0x0200", "at: 0xfffc", "fabric.yaml:8:25", "blocks.beat.at: it cannot be at 0xfffc"},
        {"at: 0x0200", "at: 0x00f8", "fabric.yaml:8:25", "blocks.beat.at: it cannot be at 0xf8"},
        {"count: 8", "count: 65", "fabric.yaml:7:39", "blocks.steady.count: it is missing or out of range"},
        {", count: 8", "", "fabric.yaml:7:3", "blocks.steady.count: it is missing"},
        {"rate: 10 Hz", "count: 10", "fabric.yaml:8:37", "blocks.beat.count: a counter has none"},
        {"rate: 10 Hz", "rate: 0 Hz", "fabric.yaml:8:", "0"},
        {"kind: counter", "kind: laser", "fabric.yaml:8:16",
         "\"laser\" is not known; write one of: registers, counter, average"},
        {"version: 1.0.0", "vision: 1", "fabric.yaml:3:1", "vision"},
    };
    expect_done(tanchor(test_folder, "import", "watch-board"));
    char *project = test_path("watch-board"), *fabric = below(project, "fabric.yaml");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); ++i) {
        const char *sound = read_text(fabric);
        edit(fabric, wrong[i].from, wrong[i].to);
        struct ran ran = tanchor(project, "build");
        ck_assert_msg(ran.code == 1 && strstr(ran.err, wrong[i].place) && strstr(ran.err, wrong[i].what), "%zu: %s%s",
                      i, ran.out, ran.err);
        write_text(fabric, sound);
    }
    expect_row(tanchor(project, "ready"), "fabric", "watch-logic 1.0.0, 3 blocks; the target's is blank");
    struct ran ran = tanchor(project, "build", "--plan");
    expect_row(ran, "convert", "fabric.img");
    expect_row(tanchor(project, "deploy"), "fabric", "108 bytes to fabric0 of eider");
    struct ran ready = tanchor(project, "ready");
    ck_assert(strstr(ready.out, "watch-logic 1.0.0, 3 blocks") && !strstr(ready.out, "is blank"));
    ran = tanchor(project, "deploy");
    ck_assert(!strstr(ran.out, "108 bytes") && strstr(ran.out, "nothing to do"));
    /* The same description, saved later: another time, and nothing else. A file that goes is made again. */
    ck_assert(!g_unlink(below(project, "out/eider-gcc/fabric.img")));
    ran = tanchor(project, "run", "--for", "100ms");
    ck_assert(strstr(ran.out, "fabric watch-logic") && !strstr(ran.err, "108 bytes"));
    edit(fabric, "count: 8", "count: 4");
    expect_done(tanchor(project, "build"));
    ran = tanchor(project, "run", "--as-is", "--for", "100ms");
    ck_assert(strstr(ran.err, "fabric0 of eider holds another fabric than was built last"));
    ran = tanchor(project, "run", "--for", "100ms");
    ck_assert(strstr(ran.err, "108 bytes to fabric0 of eider"));
    expect_done(tanchor(project, "bench", "factory", "eider"));
    ran = tanchor(project, "run", "--as-is", "--for", "100ms");
    expect_refusal(ran, 1, "fabric0 of eider is blank", "tanchor deploy");
    expect_done(tanchor(project, "deploy"));
    expect_shown(tanchor(project, "run", "--as-is", "--for", "100ms"), "fabric watch-logic");
    /* A board without a fabric is refused before anything is compiled. */
    ran = tanchor(project, "configure", "--target", "dunlin");
    ck_assert_int_eq(ran.code, 1);
    ck_assert(!g_unlink(fabric));
    ran = tanchor(project, "build");
    ck_assert_msg(ran.code == 1 && strstr(ran.err, "fabric"), "%s%s", ran.out, ran.err);
}
END_TEST

int main(void) {
    return run_suite(
        "card", (const TTest *const[]){a_card_answers_as_the_standard_says, a_block_that_is_cut_off_is_half_written,
                                       what_a_device_keeps_is_its_own, a_board_starts_from_its_card,
                                       a_card_is_built_and_started_from, a_fabric_is_what_its_image_says,
                                       parts_stand_where_their_bus_has_addresses, cards_are_files_and_stay_as_they_are,
                                       a_fabric_is_built_loaded_and_told, NULL});
}
