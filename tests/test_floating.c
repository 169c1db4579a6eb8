/* Floating point by integers, against this computer's arithmetic: every operation, in the modes that it has, with all flags. */
#include "support.h"

#include "machine/hart/floating_quick.h"

#include <fenv.h>
#include <math.h>
#include <string.h>

static unsigned host_flags(void) {
    return (unsigned)((fetestexcept(FE_INVALID) ? FLOAT_INVALID : 0) |
                      (fetestexcept(FE_DIVBYZERO) ? FLOAT_DIVIDE_BY_ZERO : 0) |
                      (fetestexcept(FE_OVERFLOW) ? FLOAT_OVERFLOW : 0) |
                      (fetestexcept(FE_UNDERFLOW) ? FLOAT_UNDERFLOW : 0) |
                      (fetestexcept(FE_INEXACT) ? FLOAT_INEXACT : 0));
}

/* Numbers near all edges: random bits, few bits set, ends of ranges, one apart from another. */
static uint64_t any_double(GRand *random) {
    static const uint64_t edges[] = {0,
                                     1,
                                     UINT64_C(0x000fffffffffffff),
                                     UINT64_C(0x0010000000000000),
                                     UINT64_C(0x3ff0000000000000),
                                     UINT64_C(0x7fefffffffffffff),
                                     UINT64_C(0x7ff0000000000000),
                                     UINT64_C(0x7ff0000000000001),
                                     UINT64_C(0x7ff8000000000000),
                                     UINT64_C(0x43e0000000000000),
                                     UINT64_C(0x41dfffffffc00000),
                                     UINT64_C(0x3fe0000000000000)};
    uint64_t sign = (uint64_t)g_rand_boolean(random) << 63;
    uint64_t bits = (uint64_t)g_rand_int(random) << 32 | g_rand_int(random);
    switch (g_rand_int_range(random, 0, 6)) {
    case 0: return sign | edges[g_rand_int_range(random, 0, G_N_ELEMENTS(edges))];
    case 1:
        return sign |
               (edges[g_rand_int_range(random, 0, G_N_ELEMENTS(edges))] + (bits & 3)) % UINT64_C(0x7ff8000000000001);
    case 2: return sign | (UINT64_C(0x3ff) + bits % 60 - 30) << 52 | (bits >> 12 & ~(UINT64_MAX >> (12 + bits % 52)));
    case 3: return sign | bits % 70 << 52 | bits >> 12; /* small, and subnormal */
    case 4: return sign | (UINT64_C(0x3ff) + bits % 140 - 70) << 52 | bits >> 12;
    default: return bits;
    }
}

static uint32_t any_single(GRand *random) {
    static const uint32_t edges[] = {0,          1,          0x007fffff, 0x00800000, 0x3f800000, 0x7f7fffff,
                                     0x7f800000, 0x7f800001, 0x7fc00000, 0x4f000000, 0x5f000000, 0x3f000000};
    uint32_t sign = (uint32_t)g_rand_boolean(random) << 31, bits = g_rand_int(random);
    switch (g_rand_int_range(random, 0, 5)) {
    case 0: return sign | edges[g_rand_int_range(random, 0, G_N_ELEMENTS(edges))];
    case 1: return sign | (edges[g_rand_int_range(random, 0, G_N_ELEMENTS(edges))] + (bits & 3)) % 0x7fc00001;
    case 2: return sign | (127 + bits % 40 - 20) << 23 | (bits >> 9 & ~(UINT32_MAX >> (9 + bits % 23)));
    case 3: return sign | bits % 40 << 23 | bits >> 9;
    default: return bits;
    }
}

static const struct {
    enum rounding mode;
    int host;
} host_modes[] = {
    {ROUND_NEAREST, FE_TONEAREST}, {ROUND_TO_ZERO, FE_TOWARDZERO}, {ROUND_DOWN, FE_DOWNWARD}, {ROUND_UP, FE_UPWARD}};

static double as_double(uint64_t bits) {
    double value;
    memcpy(&value, &bits, 8);
    return value;
}

static float as_single(uint32_t bits) {
    float value;
    memcpy(&value, &bits, 4);
    return value;
}

static uint64_t double_bits(double value) {
    uint64_t bits;
    memcpy(&bits, &value, 8);
    return value != value ? UINT64_C(0x7ff8000000000000) : bits;
}

static uint64_t single_bits(float value) {
    uint32_t bits;
    memcpy(&bits, &value, 4);
    return value != value ? 0x7fc00000 : bits;
}

/* What the host computes, in the mode that is set; flags of the host are those of this. */
static uint64_t host_double(unsigned which, uint64_t a_bits, uint64_t b_bits, uint64_t c_bits) {
    volatile double a = as_double(a_bits), b = as_double(b_bits), c = as_double(c_bits), result;
    feclearexcept(FE_ALL_EXCEPT);
    switch (which) {
    case 0: result = a + b; break;
    case 1: result = a * b; break;
    case 2: result = a / b; break;
    case 3: result = sqrt(a); break;
    case 4: result = fma(a, b, c); break;
    default: {
        volatile float narrow = (float)a;
        return single_bits(narrow);
    }
    }
    return double_bits(result);
}

static uint64_t our_double(unsigned which, uint64_t a, uint64_t b, uint64_t c, enum rounding mode, unsigned *flags) {
    switch (which) {
    case 0: return float_add(&float_double, a, b, mode, flags);
    case 1: return float_multiply(&float_double, a, b, mode, flags);
    case 2: return float_divide(&float_double, a, b, mode, flags);
    case 3: return float_root(&float_double, a, mode, flags);
    case 4: return float_fused(&float_double, a, b, c, mode, flags);
    default: return float_convert(&float_double, &float_single, a, mode, flags);
    }
}

static uint64_t host_single(unsigned which, uint32_t a_bits, uint32_t b_bits, uint32_t c_bits) {
    volatile float a = as_single(a_bits), b = as_single(b_bits), c = as_single(c_bits), result;
    feclearexcept(FE_ALL_EXCEPT);
    switch (which) {
    case 0: result = a + b; break;
    case 1: result = a * b; break;
    case 2: result = a / b; break;
    case 3: result = sqrtf(a); break;
    case 4: result = fmaf(a, b, c); break;
    default: {
        volatile double wide = a;
        return double_bits(wide);
    }
    }
    return single_bits(result);
}

static uint64_t our_single(unsigned which, uint32_t a, uint32_t b, uint32_t c, enum rounding mode, unsigned *flags) {
    switch (which) {
    case 0: return float_add(&float_single, a, b, mode, flags);
    case 1: return float_multiply(&float_single, a, b, mode, flags);
    case 2: return float_divide(&float_single, a, b, mode, flags);
    case 3: return float_root(&float_single, a, mode, flags);
    case 4: return float_fused(&float_single, a, b, c, mode, flags);
    default: return float_convert(&float_single, &float_double, a, mode, flags);
    }
}

/* A fused product of infinity and 0 is invalid whatever is added; IEEE 754 leaves that open, and this computer's does not say so for
   a quiet NaN. */
static bool host_is_silent(unsigned which, bool c_is_nan) {
    return which == 4 && c_is_nan;
}

START_TEST(floating_point_is_that_of_this_computer) {
    GRand *random = g_rand_new_with_seed(12);
    const char *wanted = g_getenv("TANCHOR_TEST_FLOATS");
    long rounds = wanted ? atol(wanted) : 300000;
    for (long i = 0; i < rounds; ++i) {
        size_t m = (size_t)g_rand_int_range(random, 0, G_N_ELEMENTS(host_modes));
        unsigned which = (unsigned)g_rand_int_range(random, 0, 6), ours = 0, host;
        uint64_t a = any_double(random), b = g_rand_int_range(random, 0, 8) ? any_double(random) : a ^ (uint64_t)i % 3;
        uint64_t c = any_double(random), expected, got, quick;
        if (which == 4 && i % 3 == 0) /* nearly all of the product cancels out */
            c = double_bits(-as_double(a) * as_double(b)) + (uint64_t)i % 5 - 2;
        fesetround(host_modes[m].host);
        expected = host_double(which, a, b, c);
        host = host_flags();
        fesetround(FE_TONEAREST);
        got = our_double(which, a, b, c, host_modes[m].mode, &ours);
        if (!host_is_silent(which, isnan(as_double(c))))
            HOLDS(got == expected && ours == host,
                  "double %u of %016llx %016llx %016llx, mode %u: %016llx %02x, not %016llx %02x", which,
                  (unsigned long long)a, (unsigned long long)b, (unsigned long long)c, host_modes[m].mode,
                  (unsigned long long)got, ours, (unsigned long long)expected, host);
        enum float_operation operation = which == 0 ? FLOAT_ADD : which == 1 ? FLOAT_MULTIPLY : FLOAT_DIVIDE;
        if (which < 3 && host_modes[m].mode == ROUND_NEAREST && float_quick_double(operation, a, b, &quick))
            HOLDS(quick == got && !(ours & ~(unsigned)FLOAT_INEXACT),
                  "quick %u of %016llx %016llx: %016llx, not %016llx", which, (unsigned long long)a,
                  (unsigned long long)b, (unsigned long long)quick, (unsigned long long)got);
        uint32_t x = any_single(random), y = any_single(random), z = any_single(random);
        if (which == 4 && i % 3 == 0)
            z = (uint32_t)(single_bits(-as_single(x) * as_single(y)) + (uint64_t)i % 5 - 2);
        fesetround(host_modes[m].host);
        expected = host_single(which, x, y, z);
        host = host_flags();
        fesetround(FE_TONEAREST);
        ours = 0;
        got = our_single(which, x, y, z, host_modes[m].mode, &ours);
        if (!host_is_silent(which, isnan(as_single(z))))
            HOLDS(got == expected && ours == host, "single %u of %08x %08x %08x, mode %u: %llx %02x, not %llx %02x",
                  which, x, y, z, host_modes[m].mode, (unsigned long long)got, ours, (unsigned long long)expected,
                  host);
        if (which < 3 && host_modes[m].mode == ROUND_NEAREST &&
            float_quick_single(operation, x | FLOAT_BOX, y | FLOAT_BOX, &quick))
            HOLDS(quick == (got | FLOAT_BOX) && !(ours & ~(unsigned)FLOAT_INEXACT), "quick %u of %08x %08x", which, x,
                  y);
        HOLDS(!float_quick_single(operation, x, y | FLOAT_BOX, &quick), "not boxed");
    }
    g_rand_free(random);
}
END_TEST

/* A significand of BITS bits: random, with a random number of zeros at its end, all ones, or nothing. */
static uint64_t any_fraction(GRand *random, unsigned bits) {
    uint64_t fraction = ((uint64_t)g_rand_int(random) << 32 | g_rand_int(random)) >> (64 - bits);
    unsigned kind = g_rand_int(random) % 8;
    return kind == 0   ? 0
           : kind == 1 ? (UINT64_C(1) << bits) - 1
           : kind < 6  ? fraction >> kind * 8 % bits << kind * 8 % bits
                       : fraction;
}

/* In memory, so that it is computed between two looks at the host's flag. */
uint64_t quick_bits;

/* One operation on two doubles, or floats: what the quick way gives, it gives as the integers do, with no flag but inexact; and the host
   says of every one whether it was inexact as the integers do. True when it gave something. */
static bool quick_agrees(bool single, unsigned which, uint64_t a, uint64_t b) {
    static const enum float_operation operations[] = {FLOAT_ADD, FLOAT_SUBTRACT, FLOAT_MULTIPLY, FLOAT_DIVIDE};
    const struct float_format *format = single ? &float_single : &float_double;
    uint64_t sign = single ? UINT64_C(1) << 31 : UINT64_C(1) << 63, box = single ? FLOAT_BOX : 0;
    unsigned flags = 0;
    host_floats_take_inexact();
    bool gave = single ? float_quick_single(operations[which], a | box, b | box, &quick_bits)
                       : float_quick_double(operations[which], a, b, &quick_bits);
    bool inexact = host_floats_take_inexact();
    uint64_t right = which < 2    ? float_add(format, a, which ? b ^ sign : b, ROUND_NEAREST, &flags)
                     : which == 2 ? float_multiply(format, a, b, ROUND_NEAREST, &flags)
                                  : float_divide(format, a, b, ROUND_NEAREST, &flags);
    HOLDS((!FLOAT_HOST_TELLS || inexact == ((flags & FLOAT_INEXACT) != 0)) &&
              (!gave || (quick_bits == (right | box) && !(flags & ~(unsigned)FLOAT_INEXACT))),
          "operation %u of %llx and %llx: %llx, inexact %d, not %llx and %x", which, (unsigned long long)a,
          (unsigned long long)b, (unsigned long long)quick_bits, inexact, (unsigned long long)right, flags);
    return gave;
}

/* All pairs of exponents of floats, and of doubles every STEP-th; random significands. */
START_TEST(quick_arithmetic_raises_what_the_integers_do) {
    const char *wanted = g_getenv("TANCHOR_TEST_FLOATS");
    int32_t step = wanted && atol(wanted) > 1000000 ? 1 : 17;
    GRand *random = g_rand_new_with_seed(41);
    uint64_t quick = 0, tried = 0;
    for (int32_t a = 0; a < 2048; ++a)
        for (int32_t b = a < 256 ? 0 : g_rand_int_range(random, 0, step); b < 2048; b += a < 256 && b < 256 ? 1 : step)
            for (unsigned which = 0; which < 4; ++which) {
                uint64_t x = any_fraction(random, 52), y = any_fraction(random, 52), signs = g_rand_int(random);
                quick += quick_agrees(false, which, (signs & 1) << 63 | (uint64_t)a << 52 | x,
                                      (signs & 2) << 62 | (uint64_t)b << 52 | y);
                ++tried;
                if (a < 256 && b < 256)
                    quick_agrees(true, which, (signs & 4) << 29 | (uint64_t)a << 23 | x >> 29,
                                 (signs & 8) << 28 | (uint64_t)b << 23 | y >> 29);
            }
    ck_assert(!FLOAT_HOST_DOES || quick > tried / 2);
    g_rand_free(random);
}
END_TEST

/* Tiny before rounding, the least normal number after it: which flags that raises is left to the integers. */
START_TEST(what_rounds_up_to_the_least_normal_number_is_left) {
    static const struct {
        bool single;
        unsigned which;
        uint64_t a, b;
    } rows[] = {{true, 2, 0x00800000, 0x3f7fffff},
                {true, 3, 0x00ffffff, 0x40000000},
                {true, 3, 0x00800000, 0x3f800001},
                {false, 2, UINT64_C(0x0010000000000000), UINT64_C(0x3fefffffffffffff)},
                {false, 3, UINT64_C(0x001fffffffffffff), UINT64_C(0x4000000000000000)}};
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i)
        HOLDS(!quick_agrees(rows[i].single, rows[i].which, rows[i].a, rows[i].b), "row %zu", i);
}
END_TEST

/* The host is asked only where what it does not tell is known. */
START_TEST(quick_arithmetic_is_used_where_it_is_right) {
    static const struct {
        uint64_t mstatus, fcsr;
        uint8_t rounding;
        bool quick;
    } cases[] = {{MSTATUS_FS, 1, 0, true},
                 {MSTATUS_FS, 1, 7, true},
                 {MSTATUS_FS, 0, 0, FLOAT_HOST_TELLS},
                 {MSTATUS_FS, 0x1f, 7, true},
                 {MSTATUS_FS, 0x21, 7, false},
                 {MSTATUS_FS, 0x81, 7, false},
                 {MSTATUS_FS, 1, 1, false},
                 {0x2000, 1, 0, false},
                 {0, 1, 0, false},
                 {MSTATUS_FS, 0x10, 0, FLOAT_HOST_TELLS}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct hart hart = {.state = {.mstatus = cases[i].mstatus, .fcsr = cases[i].fcsr}, .host_floats = true};
        const struct op op = {.rounding = cases[i].rounding};
        ck_assert_msg(float_may_be_quick(&hart, &op) == (cases[i].quick && FLOAT_HOST_DOES), "case %zu", i);
        hart.host_floats = false; /* where it cannot be set */
        ck_assert(FLOAT_HOST_TELLS || !float_may_be_quick(&hart, &op));
    }
}
END_TEST

#ifdef __SSE2__
#include <xmmintrin.h>
enum { FLUSHES_RESULTS = 0x8000, FLUSHES_OPERANDS = 0x40 };
#endif

/* The program around a machine may round as it likes, or flush what is subnormal, as start-up code of -ffast-math does. */
START_TEST(the_hosts_mode_changes_nothing_of_the_guests) {
    static const struct ta_memory ram = {"ram", TA_MEMORY_RAM, 0x80000000, 1 << 16};
    static const struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                              .name = "floats",
                                              .isa = "rv64imafdc_zicsr",
                                              .clock_hz = 100000000,
                                              .reset_address = 0x80000000,
                                              .memories = &ram,
                                              .memory_count = 1};
    static const uint32_t code[] = {0x0220f1d3 | 0x7000 /* fadd.d f3, f1, f2 */,
                                    0x12427253 | 0x7000 /* fmul.d f4, f4, f4 */,
                                    0x025282d3 | 0x7000 /* fadd.d f5, f5, f5 */, 0x6f};
    const int modes[] = {FE_TONEAREST, FE_UPWARD, FE_DOWNWARD, FE_TOWARDZERO, 4, 5};
    for (size_t i = 0; i < G_N_ELEMENTS(modes); ++i) {
        struct ta_machine *machine;
        struct ta_event event;
        uint64_t sum, product, twice;
        ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, NULL), TA_OK);
        ta_machine_power(machine, true);
        ta_machine_write(machine, 0x80000000, code, sizeof code);
        ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 0x300, 0x6000);
        ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 3, 1);
        ta_machine_set_register(machine, 0, TA_REGISTER_F + 1, double_bits(1.0));
        ta_machine_set_register(machine, 0, TA_REGISTER_F + 2, double_bits(0x1p-79));
        ta_machine_set_register(machine, 0, TA_REGISTER_F + 4, double_bits(0x1p-520));
        ta_machine_set_register(machine, 0, TA_REGISTER_F + 5, 5);
        if (i < 4)
            ck_assert_int_eq(fesetround(modes[i]), 0);
#ifdef __SSE2__
        unsigned before = _mm_getcsr();
        if (i >= 4)
            _mm_setcsr(before | (i == 4 ? FLUSHES_RESULTS : FLUSHES_OPERANDS));
#endif
        ta_machine_run(machine, 1000, &event);
#ifdef __SSE2__
        _mm_setcsr(before);
#endif
        ck_assert_int_eq(fegetround(), i < 4 ? modes[i] : FE_TONEAREST); /* as it was */
        fesetround(FE_TONEAREST);
        ck_assert(!ta_machine_register(machine, 0, TA_REGISTER_F + 3, &sum) &&
                  !ta_machine_register(machine, 0, TA_REGISTER_F + 4, &product) &&
                  !ta_machine_register(machine, 0, TA_REGISTER_F + 5, &twice));
        ck_assert_msg(sum == double_bits(1.0) && product == UINT64_C(1) << 34 && twice == 10,
                      "mode %zu: %llx, %llx, %llx", i, (unsigned long long)sum, (unsigned long long)product,
                      (unsigned long long)twice);
        ta_machine_free(machine);
    }
}
END_TEST

/* Integers: those in range as the host rounds them, the rest as table 11.4 says. */
START_TEST(conversions_hold_at_their_edges) {
    static const struct {
        double value;
        unsigned bits;
        bool is_signed;
        enum rounding mode;
        uint64_t result;
        unsigned flags;
    } rows[] = {
        {2.5, 32, true, ROUND_NEAREST, 2, FLOAT_INEXACT},
        {2.5, 32, true, ROUND_NEAREST_AWAY, 3, FLOAT_INEXACT},
        {-2.5, 32, true, ROUND_NEAREST_AWAY, (uint64_t)-3, FLOAT_INEXACT},
        {2.5, 32, true, ROUND_UP, 3, FLOAT_INEXACT},
        {-2.5, 32, true, ROUND_DOWN, (uint64_t)-3, FLOAT_INEXACT},
        {-0.5, 32, false, ROUND_NEAREST, 0, FLOAT_INEXACT},
        {-0.75, 32, false, ROUND_NEAREST, 0, FLOAT_INVALID},
        {-1.0, 32, false, ROUND_TO_ZERO, 0, FLOAT_INVALID},
        {1e-300, 64, true, ROUND_UP, 1, FLOAT_INEXACT},
        {2147483647.0, 32, true, ROUND_NEAREST, 0x7fffffff, 0},
        {2147483647.5, 32, true, ROUND_NEAREST, 0x7fffffff, FLOAT_INVALID},
        {2147483647.5, 32, true, ROUND_TO_ZERO, 0x7fffffff, FLOAT_INEXACT},
        {-2147483648.5, 32, true, ROUND_TO_ZERO, (uint64_t)INT64_C(-2147483648), FLOAT_INEXACT},
        {-2147483649.0, 32, true, ROUND_TO_ZERO, (uint64_t)INT64_C(-2147483648), FLOAT_INVALID},
        {4294967295.0, 32, false, ROUND_NEAREST, UINT32_MAX, 0},
        {4294967296.0, 32, false, ROUND_NEAREST, UINT32_MAX, FLOAT_INVALID},
        {9223372036854775808.0, 64, true, ROUND_NEAREST, INT64_MAX, FLOAT_INVALID},
        {-9223372036854775808.0, 64, true, ROUND_NEAREST, (uint64_t)INT64_MIN, 0},
        {9223372036854775808.0, 64, false, ROUND_NEAREST, UINT64_C(1) << 63, 0},
        {18446744073709551616.0, 64, false, ROUND_NEAREST, UINT64_MAX, FLOAT_INVALID},
        {INFINITY, 32, true, ROUND_NEAREST, INT32_MAX, FLOAT_INVALID},
        {-INFINITY, 64, false, ROUND_NEAREST, 0, FLOAT_INVALID},
        {NAN, 32, false, ROUND_NEAREST, UINT32_MAX, FLOAT_INVALID},
        {-0.0, 32, true, ROUND_DOWN, 0, 0},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i) {
        unsigned flags = 0;
        uint64_t got = float_to_integer(&float_double, double_bits(rows[i].value), rows[i].bits, rows[i].is_signed,
                                        rows[i].mode, &flags);
        ck_assert_msg(got == rows[i].result && flags == rows[i].flags, "row %zu: %llx %02x", i, (unsigned long long)got,
                      flags);
    }
    GRand *random = g_rand_new_with_seed(5);
    for (int i = 0; i < 100000; ++i) {
        int64_t value =
            (int64_t)((uint64_t)g_rand_int(random) << 32 | g_rand_int(random)) >> g_rand_int_range(random, 0, 64);
        size_t m = (size_t)g_rand_int_range(random, 0, G_N_ELEMENTS(host_modes));
        unsigned flags = 0;
        fesetround(host_modes[m].host);
        feclearexcept(FE_ALL_EXCEPT);
        volatile double wide = (double)value;
        volatile float narrow = (float)value;
        fesetround(FE_TONEAREST);
        uint64_t magnitude = value < 0 ? (uint64_t)0 - (uint64_t)value : (uint64_t)value;
        HOLDS(float_from_integer(&float_double, magnitude, value < 0, host_modes[m].mode, &flags) ==
                      double_bits(wide) &&
                  float_from_integer(&float_single, magnitude, value < 0, host_modes[m].mode, &flags) ==
                      single_bits(narrow) &&
                  (flags != 0) == (fetestexcept(FE_INEXACT) != 0),
              "%lld", (long long)value);
    }
    g_rand_free(random);
}
END_TEST

/* A model of a program's own that computes. */
static uint64_t a_third(void *state, struct ta_slot *slot, uint64_t offset, unsigned size) {
    volatile double three = 3, third = 1 / three;
    (void)state, (void)slot, (void)offset, (void)size;
    return third > 0;
}

static void third_wakes(void *state, struct ta_slot *slot) {
    a_third(state, slot, 0, 0);
}

static void third_begins(void *state, struct ta_slot *slot) {
    (void)state;
    ta_slot_wake_at(slot, 3);
}

/* Neither does what a model computes raise the guest's flags, nor a run those of the program around it; and where that lets inexact results
   trap, a run's do not. */
START_TEST(flags_of_guest_and_host_are_apart) {
    static const struct ta_device_kind model = {.version = TA_DEVICE_VERSION,
                                                .model = "third",
                                                .span_bytes = 16,
                                                .widths = 4,
                                                .read = a_third,
                                                .reset = third_begins,
                                                .wake = third_wakes};
    static const struct ta_device_kind *const extra[] = {&model};
    static const struct ta_memory ram = {"ram", TA_MEMORY_RAM, 0x80000000, 1 << 16};
    static const struct ta_device device = {.name = "third", .model = "third", .base = 0x10000000};
    static const struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                              .name = "floats",
                                              .isa = "rv64imafdc_zicsr",
                                              .clock_hz = 100000000,
                                              .reset_address = 0x80000000,
                                              .memories = &ram,
                                              .memory_count = 1,
                                              .devices = &device,
                                              .device_count = 1};
    enum {
        ADD = 0x0220f1d3 /* fadd.d f3, f1, f2 */,
        READ = 0x00052583 /* lw a1, (a0) */,
        FLAGS = 0x00102673 /* frflags a2 */
    };
    static const uint32_t programs[][5] = {
        {ADD, READ, FLAGS, ADD, 0x6f}, {ADD, FLAGS, 0x6f}, {ADD, 0x6f}, {READ, ADD, FLAGS, 0x6f}};
    for (unsigned i = 0; i < 2 * G_N_ELEMENTS(programs); ++i) {
        const uint32_t *code = programs[i / 2];
        bool inexact = i % 2, asks = code[1] != 0x6f, reads = code[0] == READ || code[1] == READ;
        struct ta_machine *machine;
        struct ta_event event;
        uint64_t seen, raised, read;
        ck_assert_int_eq(ta_machine_new(&profile, extra, 1, &machine, NULL), TA_OK);
        ta_machine_power(machine, true);
        ta_machine_write(machine, 0x80000000, code, sizeof programs[0]);
        ta_machine_set_register(machine, 0, TA_REGISTER_CSR + 0x300, 0x6000);
        ta_machine_set_register(machine, 0, TA_REGISTER_F + 1, double_bits(1.0));
        ta_machine_set_register(machine, 0, TA_REGISTER_F + 2, double_bits(inexact ? 0x1p-79 : 2.5));
        ta_machine_set_register(machine, 0, 10, 0x10000000);
        feclearexcept(FE_ALL_EXCEPT);
        feraiseexcept(FE_DIVBYZERO);
        if (FLOAT_HOST_TELLS)
            feenableexcept(FE_INEXACT);
        ta_machine_run(machine, 1000, &event);
        fedisableexcept(FE_ALL_EXCEPT);
        ck_assert(!FLOAT_HOST_TELLS || fetestexcept(FE_ALL_EXCEPT) == FE_DIVBYZERO);
        ck_assert(!ta_machine_register(machine, 0, 12, &seen) && !ta_machine_register(machine, 0, 11, &read) &&
                  !ta_machine_register(machine, 0, TA_REGISTER_CSR + 1, &raised));
        ck_assert_msg(read == reads && seen == (asks && inexact) && raised == inexact, "%u: %llx and %llx", i,
                      (unsigned long long)seen, (unsigned long long)raised);
        ta_machine_free(machine);
    }
}
END_TEST

int main(void) {
    return run_suite(
        "floating", (const TTest *const[]){
                        floating_point_is_that_of_this_computer, quick_arithmetic_is_used_where_it_is_right,
                        quick_arithmetic_raises_what_the_integers_do, what_rounds_up_to_the_least_normal_number_is_left,
                        the_hosts_mode_changes_nothing_of_the_guests, conversions_hold_at_their_edges,
                        flags_of_guest_and_host_are_apart, NULL});
}
