#include "machine/hart/floating.h"

/* A number taken apart: (-1)^negative * significand * 2^(exponent - 63), the significand's highest bit set. */
enum kind { ZERO, FINITE, INFINITE, NOT_A_NUMBER };
struct number {
    bool negative, signals;
    enum kind kind;
    int exponent;
    uint64_t significand;
};

const struct float_format float_single = {8, 23}, float_double = {11, 52};

#define TOP (UINT64_C(1) << 63)

static int bias_of(const struct float_format *format) {
    return (1 << (format->exponent_bits - 1)) - 1;
}

static uint64_t sign_bit(const struct float_format *format) {
    return UINT64_C(1) << (format->exponent_bits + format->fraction_bits);
}

static uint64_t infinity(const struct float_format *format) {
    return sign_bit(format) - (UINT64_C(1) << format->fraction_bits);
}

static uint64_t canonical_nan(const struct float_format *format) {
    return infinity(format) | UINT64_C(1) << (format->fraction_bits - 1);
}

/* How far up the highest bit set of VALUE, which is not 0, has to go to be the top one. */
static int room_above(uint64_t value) {
    int room = 0;
    for (int step = 32; step; step /= 2)
        if (!(value >> (64 - step))) {
            value <<= step;
            room += step;
        }
    return room;
}

static struct number take_apart(const struct float_format *format, uint64_t bits) {
    uint64_t fraction = bits & ((UINT64_C(1) << format->fraction_bits) - 1);
    int all_ones = (1 << format->exponent_bits) - 1;
    int exponent = (int)(bits >> format->fraction_bits) & all_ones;
    struct number number = {.negative = (bits & sign_bit(format)) != 0, .kind = FINITE};
    if (exponent == all_ones) {
        number.kind = fraction ? NOT_A_NUMBER : INFINITE;
        number.signals = fraction && !(fraction >> (format->fraction_bits - 1));
    } else if (exponent) {
        number.exponent = exponent - bias_of(format);
        number.significand = TOP | fraction << (63 - format->fraction_bits);
    } else if (fraction) {
        int room = room_above(fraction);
        number.exponent = 1 - bias_of(format) + (63 - format->fraction_bits) - room;
        number.significand = fraction << room;
    } else {
        number.kind = ZERO;
    }
    return number;
}

/* Whether what is left over makes the magnitude one larger. HALF and BELOW: the first bit left over, and any other. */
static bool rounds_up(enum rounding mode, bool negative, bool odd, bool half, bool below) {
    switch (mode) {
    case ROUND_NEAREST: return half && (below || odd);
    case ROUND_NEAREST_AWAY: return half;
    case ROUND_DOWN: return negative && (half || below);
    case ROUND_UP: return !negative && (half || below);
    default: return false;
    }
}

/* SIGNIFICAND / 2^COUNT as MODE rounds it, for COUNT 1 to 64. */
static uint64_t round_off(uint64_t significand, int count, bool negative, enum rounding mode, bool *inexact) {
    uint64_t kept = count > 63 ? 0 : significand >> count;
    bool half = significand >> (count - 1) & 1, below = count > 1 && significand << (65 - count);
    *inexact = half || below;
    return kept + rounds_up(mode, negative, kept & 1, half, below);
}

static uint64_t too_large(const struct float_format *format, bool negative, enum rounding mode) {
    bool nearer_zero = mode == ROUND_TO_ZERO || (mode == ROUND_DOWN && !negative) || (mode == ROUND_UP && negative);
    return infinity(format) - nearer_zero;
}

/* The bits of a finite number; its lowest bit stands for all below it. */
static uint64_t put_together(const struct float_format *format, const struct number *number, enum rounding mode,
                             unsigned *flags) {
    int bias = bias_of(format), spare = 63 - format->fraction_bits, least = 1 - bias;
    uint64_t sign = number->negative ? sign_bit(format) : 0, hidden = UINT64_C(1) << format->fraction_bits;
    bool inexact, unused;
    if (number->kind == ZERO || !number->significand)
        return sign;
    uint64_t rounded = round_off(number->significand, spare, number->negative, mode, &inexact);
    bool carries = rounded == hidden << 1;
    int exponent = number->exponent + carries;
    if (exponent < least) { /* tiny, told after rounding: rounded to where subnormal numbers end */
        int far = least - number->exponent + spare;
        uint64_t significand = far > 64 ? 1 : number->significand;
        rounded = round_off(significand, far > 64 ? 64 : far, number->negative, mode, &inexact);
        *flags |= inexact ? FLOAT_INEXACT | FLOAT_UNDERFLOW : 0;
        return sign | rounded; /* one that rounds up to the least normal number has its bits */
    }
    if (number->exponent <
        least) { /* not tiny, since it rounds up to the least normal number; yet it may be inexact there */
        rounded = round_off(number->significand, spare + 1, number->negative, mode, &unused);
        *flags |= FLOAT_INEXACT;
        return sign | rounded;
    }
    *flags |= inexact ? FLOAT_INEXACT : 0;
    if (exponent > bias) {
        *flags |= FLOAT_OVERFLOW | FLOAT_INEXACT;
        return sign | too_large(format, number->negative, mode);
    }
    rounded = carries ? hidden : rounded;
    return sign | ((uint64_t)(exponent + bias) << format->fraction_bits) | (rounded & (hidden - 1));
}

/* True when one of them is not a number: so is the result then. */
static bool any_nan(const struct number *a, const struct number *b, unsigned *flags) {
    *flags |= a->signals || b->signals ? FLOAT_INVALID : 0;
    return a->kind == NOT_A_NUMBER || b->kind == NOT_A_NUMBER;
}

static uint64_t invalid(const struct float_format *format, unsigned *flags) {
    *flags |= FLOAT_INVALID;
    return canonical_nan(format);
}

static uint64_t signed_infinity(const struct float_format *format, bool negative) {
    return infinity(format) | (negative ? sign_bit(format) : 0);
}

/* 128 bits, for products. */
struct wide {
    uint64_t high, low;
};

static struct wide wide_product(uint64_t a, uint64_t b) {
    uint64_t al = (uint32_t)a, ah = a >> 32, bl = (uint32_t)b, bh = b >> 32;
    uint64_t ll = al * bl, lh = al * bh, hl = ah * bl, middle = (ll >> 32) + (uint32_t)lh + hl;
    return (struct wide){ah * bh + (lh >> 32) + (middle >> 32), middle << 32 | (uint32_t)ll};
}

static struct wide wide_shift_sticky(struct wide value, int count) {
    if (count <= 0)
        return value;
    if (count > 127)
        return (struct wide){0, value.high || value.low};
    if (count > 63) {
        uint64_t lost = count > 64 ? value.high << (128 - count) | value.low : value.low;
        return (struct wide){0, (count > 64 ? value.high >> (count - 64) : value.high) | (lost != 0)};
    }
    uint64_t lost = value.low << (64 - count);
    return (struct wide){value.high >> count, value.high << (64 - count) | value.low >> count | (lost != 0)};
}

static struct wide wide_up(struct wide value, int count) {
    if (!count)
        return value;
    if (count > 63)
        return (struct wide){value.low << (count - 64), 0};
    return (struct wide){value.high << count | value.low >> (64 - count), value.low << count};
}

static bool wide_less(struct wide a, struct wide b) {
    return a.high < b.high || (a.high == b.high && a.low < b.low);
}

/* The sum of two finite numbers of 128 bits, each with its sign and exponent. The larger keeps all its bits; of the other those
   that fall off stay visible in the lowest. */
static uint64_t add_wide(const struct float_format *format, struct wide a, int a_exponent, bool a_negative,
                         struct wide b, int b_exponent, bool b_negative, enum rounding mode, unsigned *flags) {
    if (a_exponent < b_exponent || (a_exponent == b_exponent && wide_less(a, b)))
        return add_wide(format, b, b_exponent, b_negative, a, a_exponent, a_negative, mode, flags);
    struct number sum = {.negative = a_negative, .kind = FINITE, .exponent = a_exponent + 1};
    a = wide_shift_sticky(a, 1); /* room for the carry */
    b = wide_shift_sticky(b, a_exponent - b_exponent + 1);
    if (a_negative == b_negative) {
        a.low += b.low;
        a.high += b.high + (a.low < b.low);
    } else {
        a.high -= b.high + (a.low < b.low);
        a.low -= b.low;
    }
    if (!a.high && !a.low) /* they cancel out */
        return mode == ROUND_DOWN ? sign_bit(format) : 0;
    int room = a.high ? room_above(a.high) : 64 + room_above(a.low);
    a = wide_up(a, room);
    sum.exponent -= room;
    sum.significand = a.high | (a.low != 0);
    return put_together(format, &sum, mode, flags);
}

uint64_t float_add(const struct float_format *format, uint64_t a_bits, uint64_t b_bits, enum rounding mode,
                   unsigned *flags) {
    struct number a = take_apart(format, a_bits), b = take_apart(format, b_bits);
    if (any_nan(&a, &b, flags))
        return canonical_nan(format);
    if (a.kind == INFINITE)
        return b.kind == INFINITE && a.negative != b.negative ? invalid(format, flags) : a_bits;
    if (b.kind == INFINITE)
        return b_bits;
    if (a.kind == ZERO && b.kind == ZERO)
        return a.negative == b.negative ? a_bits : mode == ROUND_DOWN ? sign_bit(format) : 0;
    if (a.kind == ZERO)
        return b_bits;
    if (b.kind == ZERO)
        return a_bits;
    return add_wide(format, (struct wide){a.significand, 0}, a.exponent, a.negative, (struct wide){b.significand, 0},
                    b.exponent, b.negative, mode, flags);
}

/* The product of two finite numbers, all of it, with its highest bit set. */
static struct wide multiply_exactly(const struct number *a, const struct number *b, int *exponent) {
    struct wide product = wide_product(a->significand, b->significand);
    int room = room_above(product.high);
    *exponent = a->exponent + b->exponent + 1 - room;
    return wide_up(product, room);
}

uint64_t float_multiply(const struct float_format *format, uint64_t a_bits, uint64_t b_bits, enum rounding mode,
                        unsigned *flags) {
    struct number a = take_apart(format, a_bits), b = take_apart(format, b_bits);
    struct number product = {.negative = a.negative != b.negative, .kind = FINITE};
    if (any_nan(&a, &b, flags))
        return canonical_nan(format);
    if (a.kind == INFINITE || b.kind == INFINITE)
        return a.kind == ZERO || b.kind == ZERO ? invalid(format, flags) : signed_infinity(format, product.negative);
    if (a.kind == ZERO || b.kind == ZERO)
        return product.negative ? sign_bit(format) : 0;
    struct wide all = multiply_exactly(&a, &b, &product.exponent);
    product.significand = all.high | (all.low != 0);
    return put_together(format, &product, mode, flags);
}

uint64_t float_fused(const struct float_format *format, uint64_t a_bits, uint64_t b_bits, uint64_t c_bits,
                     enum rounding mode, unsigned *flags) {
    struct number a = take_apart(format, a_bits), b = take_apart(format, b_bits), c = take_apart(format, c_bits);
    bool negative = a.negative != b.negative, infinite = a.kind == INFINITE || b.kind == INFINITE;
    bool no_product = infinite && (a.kind == ZERO || b.kind == ZERO);
    bool nan = any_nan(&a, &b, flags);
    nan = any_nan(&c, &c, flags) || nan;
    if (no_product)
        return invalid(format, flags); /* also when the third is not a number */
    if (nan)
        return canonical_nan(format);
    if (infinite)
        return c.kind == INFINITE && c.negative != negative ? invalid(format, flags)
                                                            : signed_infinity(format, negative);
    if (c.kind == INFINITE)
        return c_bits;
    if (a.kind == ZERO || b.kind == ZERO) {
        if (c.kind != ZERO || c.negative == negative)
            return c_bits;
        return mode == ROUND_DOWN ? sign_bit(format) : 0;
    }
    int exponent;
    struct wide product = multiply_exactly(&a, &b, &exponent);
    if (c.kind == ZERO) {
        struct number all = {.negative = negative, .kind = FINITE, .exponent = exponent};
        all.significand = product.high | (product.low != 0);
        return put_together(format, &all, mode, flags);
    }
    return add_wide(format, product, exponent, negative, (struct wide){c.significand, 0}, c.exponent, c.negative, mode,
                    flags);
}

/* Bit by bit: a quotient of 64 bits, the lowest set when anything is left over. */
static uint64_t divide_significands(uint64_t a, uint64_t b, int *exponent) {
    uint64_t quotient = 0;
    if (a < b)
        --*exponent; /* A is doubled: its highest bit goes, and comes back as a carry */
    bool carry = a < b;
    a = carry ? a << 1 : a;
    for (int bit = 63; bit >= 0; --bit) {
        bool fits = carry || a >= b;
        a -= fits ? b : 0;
        quotient |= (uint64_t)fits << bit;
        carry = a >> 63;
        a <<= 1;
    }
    return quotient | (a || carry);
}

uint64_t float_divide(const struct float_format *format, uint64_t a_bits, uint64_t b_bits, enum rounding mode,
                      unsigned *flags) {
    struct number a = take_apart(format, a_bits), b = take_apart(format, b_bits);
    struct number quotient = {.negative = a.negative != b.negative, .kind = FINITE};
    uint64_t sign = quotient.negative ? sign_bit(format) : 0;
    if (any_nan(&a, &b, flags))
        return canonical_nan(format);
    if (a.kind == b.kind && a.kind != FINITE)
        return invalid(format, flags);
    if (a.kind == INFINITE)
        return sign | infinity(format);
    if (a.kind == ZERO || b.kind == INFINITE)
        return sign;
    if (b.kind == ZERO) {
        *flags |= FLOAT_DIVIDE_BY_ZERO;
        return sign | infinity(format);
    }
    quotient.exponent = a.exponent - b.exponent;
    quotient.significand = divide_significands(a.significand, b.significand, &quotient.exponent);
    return put_together(format, &quotient, mode, flags);
}

/* Two bits of the radicand give one of the root: 60 of them, so that nothing needs more than 64. */
static uint64_t root_of_significand(uint64_t radicand) {
    uint64_t root = 0, rest = 0;
    for (int i = 0; i < 60; ++i) {
        rest = rest << 2 | radicand >> 62;
        radicand <<= 2;
        uint64_t trial = root << 2 | 1;
        bool fits = rest >= trial;
        rest -= fits ? trial : 0;
        root = root << 1 | fits;
    }
    return root << 4 | (rest != 0);
}

uint64_t float_root(const struct float_format *format, uint64_t bits, enum rounding mode, unsigned *flags) {
    struct number a = take_apart(format, bits), root = {.kind = FINITE};
    if (any_nan(&a, &a, flags))
        return canonical_nan(format);
    if (a.kind == ZERO || (a.kind == INFINITE && !a.negative))
        return bits;
    if (a.negative)
        return invalid(format, flags);
    bool odd = a.exponent & 1;
    root.exponent = (a.exponent - odd) / 2;
    root.significand = root_of_significand(odd ? a.significand : a.significand >> 1);
    return put_together(format, &root, mode, flags);
}

uint64_t float_convert(const struct float_format *from, const struct float_format *to, uint64_t bits,
                       enum rounding mode, unsigned *flags) {
    struct number a = take_apart(from, bits);
    if (any_nan(&a, &a, flags))
        return canonical_nan(to);
    if (a.kind == INFINITE)
        return signed_infinity(to, a.negative);
    return put_together(to, &a, mode, flags);
}

uint64_t float_to_integer(const struct float_format *format, uint64_t bits, unsigned width, bool is_signed,
                          enum rounding mode, unsigned *flags) {
    struct number a = take_apart(format, bits);
    uint64_t most = is_signed ? (UINT64_C(1) << (width - 1)) - 1 : UINT64_MAX >> (64 - width);
    uint64_t least = is_signed ? (uint64_t)0 - (UINT64_C(1) << (width - 1)) : 0;
    bool inexact = false;
    uint64_t magnitude = 0;
    if (a.kind == ZERO)
        return 0;
    if (a.kind == FINITE && a.exponent < 64) {
        int fraction_bits = 63 - a.exponent;
        if (fraction_bits > 64) {
            a.significand = 1; /* less than a half */
            fraction_bits = 64;
        }
        magnitude = fraction_bits ? round_off(a.significand, fraction_bits, a.negative, mode, &inexact) : a.significand;
    }
    bool fits = a.kind == FINITE && a.exponent < 64 && magnitude <= (a.negative ? (uint64_t)0 - least : most);
    if (!fits) {
        *flags |= FLOAT_INVALID;
        return a.kind != NOT_A_NUMBER && a.negative ? least : most;
    }
    *flags |= inexact ? FLOAT_INEXACT : 0;
    return a.negative ? (uint64_t)0 - magnitude : magnitude;
}

uint64_t float_from_integer(const struct float_format *format, uint64_t magnitude, bool negative, enum rounding mode,
                            unsigned *flags) {
    if (!magnitude)
        return 0;
    int room = room_above(magnitude);
    struct number a = {.negative = negative, .kind = FINITE, .exponent = 63 - room, .significand = magnitude << room};
    return put_together(format, &a, mode, flags);
}
