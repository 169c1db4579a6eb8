/* The instructions of floating point on the registers of a hart. */
#include "machine/hart/floating.h"

/* One instruction under way. */
struct job {
    struct hart_state *state;
    const struct op *op;
    const struct float_format *format;
    bool single;
    enum rounding mode;
    unsigned flags;
};

static uint64_t canonical(bool single) {
    return single ? 0x7fc00000 : UINT64_C(0x7ff8000000000000);
}

/* A float that is not boxed counts as not a number. */
static uint64_t get(const struct job *job, unsigned number, bool single) {
    uint64_t bits = job->state->f[number];
    if (!single)
        return bits;
    return bits >= FLOAT_BOX ? (uint32_t)bits : canonical(true);
}

static uint64_t first(const struct job *job) {
    return get(job, job->op->rs1, job->single);
}

static uint64_t second(const struct job *job) {
    return get(job, job->op->rs2, job->single);
}

static uint64_t sign_of(const struct job *job) {
    return job->single ? UINT64_C(0x80000000) : UINT64_C(1) << 63;
}

static void put(const struct job *job, uint64_t bits, bool single) {
    job->state->f[job->op->rd] = single ? bits | FLOAT_BOX : bits;
}

static void arithmetic(struct job *job, enum float_operation kind) {
    uint64_t a = first(job), b = second(job), result;
    switch (kind) {
    case FLOAT_ADD: result = float_add(job->format, a, b, job->mode, &job->flags); break;
    case FLOAT_SUBTRACT: result = float_add(job->format, a, b ^ sign_of(job), job->mode, &job->flags); break;
    case FLOAT_MULTIPLY: result = float_multiply(job->format, a, b, job->mode, &job->flags); break;
    default: result = float_divide(job->format, a, b, job->mode, &job->flags); break;
    }
    put(job, result, job->single);
}

/* A NaN keeps no sign: its bits are canonical whatever was negated. */
static void fused(struct job *job, bool minus_product, bool minus_addend) {
    uint64_t a = first(job), c = get(job, job->op->rs3, job->single), sign = sign_of(job);
    put(job,
        float_fused(job->format, minus_product ? a ^ sign : a, second(job), minus_addend ? c ^ sign : c, job->mode,
                    &job->flags),
        job->single);
}

static bool is_nan(const struct job *job, uint64_t bits) {
    uint64_t infinity = job->single ? 0x7f800000 : UINT64_C(0x7ff0000000000000);
    return (bits & ~sign_of(job)) > infinity;
}

static bool is_signaling(const struct job *job, uint64_t bits) {
    return is_nan(job, bits) && !(bits >> (job->single ? 22 : 51) & 1);
}

/* A before B; -0 and +0 are the same unless ZEROS differ. */
static bool is_less(const struct job *job, uint64_t a, uint64_t b, bool zeros_differ) {
    uint64_t sign = sign_of(job);
    bool a_negative = (a & sign) != 0, b_negative = (b & sign) != 0;
    if (a_negative != b_negative)
        return a_negative && (zeros_differ || ((a | b) & ~sign));
    return a != b && (a_negative ? a > b : a < b);
}

static void least_or_most(struct job *job, bool most) {
    uint64_t a = first(job), b = second(job);
    bool a_nan = is_nan(job, a), b_nan = is_nan(job, b);
    job->flags |= is_signaling(job, a) || is_signaling(job, b) ? FLOAT_INVALID : 0;
    uint64_t result = is_less(job, a, b, true) != most ? a : b;
    put(job, a_nan && b_nan ? canonical(job->single) : a_nan ? b : b_nan ? a : result, job->single);
}

/* SIGN's bit of the second, as KIND (0 as it is, 1 the other, 2 exclusive or with its own) puts it on the first. */
static void inject(struct job *job, unsigned kind) {
    uint64_t a = first(job), b = second(job), sign = sign_of(job);
    uint64_t taken = kind == 0 ? b : kind == 1 ? ~b : a ^ b;
    put(job, (a & ~sign) | (taken & sign), job->single);
}

static uint64_t compare(struct job *job, unsigned operation) {
    uint64_t a = first(job), b = second(job), magnitudes = (a | b) & ~sign_of(job);
    bool equal = operation == OP_FEQ_S || operation == OP_FEQ_D;
    if (is_nan(job, a) || is_nan(job, b)) {
        job->flags |= !equal || is_signaling(job, a) || is_signaling(job, b) ? FLOAT_INVALID : 0;
        return 0;
    }
    bool same = a == b || !magnitudes;
    bool less = is_less(job, a, b, false);
    return equal ? same : operation == OP_FLT_S || operation == OP_FLT_D ? less : less || same;
}

/* One bit of ten, table 11.5. */
static uint64_t classify(const struct job *job) {
    uint64_t bits = first(job), sign = sign_of(job), magnitude = bits & ~sign;
    uint64_t infinity = job->single ? 0x7f800000 : UINT64_C(0x7ff0000000000000);
    uint64_t least_normal = job->single ? 0x00800000 : UINT64_C(0x0010000000000000);
    bool negative = (bits & sign) != 0;
    if (magnitude > infinity)
        return is_signaling(job, bits) ? 1 << 8 : 1 << 9;
    unsigned kind = magnitude == infinity ? 0 : magnitude >= least_normal ? 1 : magnitude ? 2 : 3;
    return UINT64_C(1) << (negative ? kind : 7 - kind);
}

/* To an integer of WIDTH bits, which fills the register with its sign (also when it has none: a rule of the ISA for 32 bits). */
static uint64_t to_integer(struct job *job, unsigned width, bool is_signed) {
    uint64_t value = float_to_integer(job->format, first(job), width, is_signed, job->mode, &job->flags);
    return width == 32 ? (uint64_t)(int64_t)(int32_t)(uint32_t)value : value;
}

static void from_integer(struct job *job, uint64_t x, unsigned width, bool is_signed) {
    int64_t value = width == 32 ? (int64_t)(int32_t)(uint32_t)x : (int64_t)x;
    bool negative = is_signed && value < 0;
    uint64_t magnitude = negative                    ? (uint64_t)0 - (uint64_t)value
                         : width == 32 && !is_signed ? (uint32_t)x
                                                     : (uint64_t)value;
    put(job, float_from_integer(job->format, magnitude, negative, job->mode, &job->flags), job->single);
}

/* Both formats of an instruction. */
#define BOTH(name) OP_##name##_S : case OP_##name##_D

bool floating_execute(struct hart_state *state, const struct op *op, uint64_t x, uint64_t *result) {
    bool single = !(op->operation >= OP_FLD && op->operation <= OP_FCVT_D_LU) && op->operation != OP_FCVT_D_S;
    struct job job = {.state = state,
                      .op = op,
                      .single = single,
                      .format = single ? &float_single : &float_double,
                      .mode = (enum rounding)(op->rounding == ROUND_DYNAMIC ? state->fcsr >> 5 & 7 : op->rounding)};
    if (job.mode > ROUND_NEAREST_AWAY)
        return false;
    switch (op->operation) {
    case BOTH(FADD): arithmetic(&job, FLOAT_ADD); break;
    case BOTH(FSUB): arithmetic(&job, FLOAT_SUBTRACT); break;
    case BOTH(FMUL): arithmetic(&job, FLOAT_MULTIPLY); break;
    case BOTH(FDIV): arithmetic(&job, FLOAT_DIVIDE); break;
    case BOTH(FSQRT): put(&job, float_root(job.format, first(&job), job.mode, &job.flags), single); break;
    case BOTH(FMADD): fused(&job, false, false); break;
    case BOTH(FMSUB): fused(&job, false, true); break;
    case BOTH(FNMSUB): fused(&job, true, false); break;
    case BOTH(FNMADD): fused(&job, true, true); break;
    case BOTH(FSGNJ): inject(&job, 0); break;
    case BOTH(FSGNJN): inject(&job, 1); break;
    case BOTH(FSGNJX): inject(&job, 2); break;
    case BOTH(FMIN): least_or_most(&job, false); break;
    case BOTH(FMAX): least_or_most(&job, true); break;
    case BOTH(FEQ):
    case BOTH(FLT):
    case BOTH(FLE): *result = compare(&job, op->operation); break;
    case BOTH(FCLASS): *result = classify(&job); break;
    case OP_FCVT_W_S:
    case OP_FCVT_W_D: *result = to_integer(&job, 32, true); break;
    case OP_FCVT_WU_S:
    case OP_FCVT_WU_D: *result = to_integer(&job, 32, false); break;
    case OP_FCVT_L_S:
    case OP_FCVT_L_D: *result = to_integer(&job, 64, true); break;
    case OP_FCVT_LU_S:
    case OP_FCVT_LU_D: *result = to_integer(&job, 64, false); break;
    case OP_FCVT_S_W:
    case OP_FCVT_D_W: from_integer(&job, x, 32, true); break;
    case OP_FCVT_S_WU:
    case OP_FCVT_D_WU: from_integer(&job, x, 32, false); break;
    case OP_FCVT_S_L:
    case OP_FCVT_D_L: from_integer(&job, x, 64, true); break;
    case OP_FCVT_S_LU:
    case OP_FCVT_D_LU: from_integer(&job, x, 64, false); break;
    case OP_FCVT_S_D:
        put(&job, float_convert(&float_double, &float_single, get(&job, op->rs1, false), job.mode, &job.flags), true);
        break;
    case OP_FCVT_D_S:
        put(&job, float_convert(&float_single, &float_double, get(&job, op->rs1, true), job.mode, &job.flags), false);
        break;
    case OP_FMV_X_W: *result = (uint64_t)(int64_t)(int32_t)(uint32_t)state->f[op->rs1]; break;
    case OP_FMV_W_X: put(&job, (uint32_t)x, true); break;
    case OP_FMV_X_D: *result = state->f[op->rs1]; break;
    case OP_FMV_D_X: put(&job, x, false); break;
    default: return false;
    }
    state->fcsr |= job.flags;
    return true;
}
