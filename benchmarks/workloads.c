/* What a hart has to do, and this computer beside it: compiled for both from this one source. WORKLOAD tells which; ROUNDS how
   often. The result is printed, so that both can be seen to have done the same. */
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "machine/hart/floating.c"

enum { MATRIX, CRC, TREE, TEXT, MEMORY, SOFT_FFT, FFT };

static uint32_t seed = 1;

static uint32_t any(void) {
    seed = seed * 1664525u + 1013904223u;
    return seed >> 8;
}

/* How large things are is known to no compiler: none makes four steps one. */
static volatile int matrix_side = 48, memory_words = 2048;

static uint32_t multiply_matrices(void) {
    enum { MOST = 64 };
    static int32_t a[MOST][MOST], b[MOST][MOST], c[MOST][MOST];
    uint32_t sum = 0;
    int side = matrix_side;
    for (int i = 0; i < side; ++i)
        for (int j = 0; j < side; ++j) {
            a[i][j] = (int32_t)(any() % 1000);
            b[i][j] = (int32_t)(any() % 1000);
        }
    for (int i = 0; i < side; ++i)
        for (int j = 0; j < side; ++j) {
            int32_t dot = 0;
            for (int k = 0; k < side; ++k)
                dot += a[i][k] * b[k][j];
            c[i][j] = dot;
            sum += (uint32_t)dot;
        }
    return sum + (uint32_t)c[3][5];
}

static uint32_t check_sum(void) {
    static uint32_t table[256];
    static uint8_t data[8192];
    uint32_t crc = UINT32_MAX;
    for (uint32_t i = 0; i < 256; ++i) {
        uint32_t value = i;
        for (int bit = 0; bit < 8; ++bit)
            value = value & 1 ? value >> 1 ^ 0xedb88320u : value >> 1;
        table[i] = value;
    }
    for (size_t i = 0; i < sizeof data; ++i)
        data[i] = (uint8_t)(i * 7 + seed);
    for (int round = 0; round < 8; ++round)
        for (size_t i = 0; i < sizeof data; ++i)
            crc = crc >> 8 ^ table[(crc ^ data[i]) & 0xff];
    seed += crc;
    return crc;
}

struct node {
    struct node *left, *right;
    uint32_t key;
};

static int compare_nodes(const void *a, const void *b) {
    uint32_t x = (*(struct node *const *)a)->key, y = (*(struct node *const *)b)->key;
    return x < y ? -1 : x > y;
}

/* A tree by pointers, and a sort of pointers by a function. */
static uint32_t grow_tree(void) {
    enum { NODES = 800 };
    static struct node nodes[NODES], *sorted[NODES];
    struct node *root = NULL;
    uint32_t sum = 0;
    for (int i = 0; i < NODES; ++i) {
        struct node **at = &root;
        nodes[i] = (struct node){.key = any()};
        while (*at)
            at = nodes[i].key < (*at)->key ? &(*at)->left : &(*at)->right;
        *at = &nodes[i];
        sorted[i] = &nodes[i];
    }
    for (int gap = NODES / 2; gap; gap /= 2)
        for (int i = gap; i < NODES; ++i)
            for (int k = i; k >= gap && compare_nodes(&sorted[k - gap], &sorted[k]) > 0; k -= gap) {
                struct node *kept = sorted[k];
                sorted[k] = sorted[k - gap];
                sorted[k - gap] = kept;
            }
    for (int i = 0; i < NODES; ++i) {
        const struct node *at = root;
        while (at && at->key != sorted[i]->key)
            at = sorted[i]->key < at->key ? at->left : at->right;
        sum = sum * 31 + at->key;
    }
    return sum;
}

/* Counts numbers, words and comments of a made-up log. */
static uint32_t read_text(void) {
    static char text[4096];
    enum { BLANK, WORD, NUMBER, COMMENT } state = BLANK;
    uint32_t counts[4] = {0}, value = 0;
    static const char line[] = "0417 tide 1.2 m rising # by hand\nbuoy hull ES-0417 ok 33 lamps;\n";
    for (size_t i = 0; i < sizeof text; ++i)
        text[i] = line[(i + seed % 7) % (sizeof line - 1)];
    for (size_t i = 0; i < sizeof text; ++i) {
        char letter = text[i];
        switch (state) {
        case BLANK:
            if (letter == '#')
                state = COMMENT;
            else if (letter >= '0' && letter <= '9')
                state = NUMBER, value = (uint32_t)(letter - '0');
            else if ((letter | 32) >= 'a' && (letter | 32) <= 'z')
                state = WORD;
            break;
        case WORD:
            if (letter == ' ' || letter == '\n')
                ++counts[WORD], state = BLANK;
            break;
        case NUMBER:
            if (letter >= '0' && letter <= '9')
                value = value * 10 + (uint32_t)(letter - '0');
            else
                counts[NUMBER] += value, state = letter == '#' ? COMMENT : BLANK;
            break;
        case COMMENT:
            if (letter == '\n')
                ++counts[COMMENT], state = BLANK;
            break;
        }
    }
    ++seed;
    return counts[WORD] * 1000003 + counts[NUMBER] * 101 + counts[COMMENT];
}

static void copy_words(uint32_t *to, const uint32_t *from, int words) {
    for (int i = 0; i < words; ++i)
        to[i] = from[i];
}

static void fill_bytes(uint8_t *at, int bytes, uint8_t value) {
    for (int i = 0; i < bytes; ++i)
        at[i] = value;
}

static uint32_t move_memory(void) {
    enum { MOST = 4096 };
    static uint32_t from[MOST], to[MOST];
    int words = memory_words;
    for (int i = 0; i < words; ++i)
        from[i] = seed + (uint32_t)i;
    for (int round = 0; round < 4; ++round) {
        copy_words(to, from, words);
        fill_bytes((uint8_t *)from, words, (uint8_t)round);
    }
    ++seed;
    return to[5] + from[words - 1] + from[7];
}

enum { POINTS = 64 };

/* The angles' cosines by a recurrence, so that no library's are asked. */
static uint32_t transform_soft(void) {
    static uint64_t real[POINTS], imaginary[POINTS];
    unsigned flags = 0;
    uint64_t cosine = UINT64_C(0x3feff621e3796d7e), sine = UINT64_C(0xbfa91f65f10dd814); /* of a 64th turn, about */
#define ADD(a, b)      float_add(&float_double, a, b, ROUND_NEAREST, &flags)
#define SUBTRACT(a, b) float_add(&float_double, a, (b) ^ UINT64_C(1) << 63, ROUND_NEAREST, &flags)
#define TIMES(a, b)    float_multiply(&float_double, a, b, ROUND_NEAREST, &flags)
    for (int i = 0; i < POINTS; ++i) {
        real[i] = float_from_integer(&float_double, any() % 1000, false, ROUND_NEAREST, &flags);
        imaginary[i] = 0;
    }
    for (int half = 1; half < POINTS; half *= 2) {
        uint64_t w_real = UINT64_C(0x3ff0000000000000), w_imaginary = 0;
        for (int k = 0; k < half; ++k) {
            for (int i = k; i < POINTS; i += 2 * half) {
                int j = i + half;
                uint64_t r = SUBTRACT(TIMES(real[j], w_real), TIMES(imaginary[j], w_imaginary));
                uint64_t m = ADD(TIMES(real[j], w_imaginary), TIMES(imaginary[j], w_real));
                real[j] = SUBTRACT(real[i], r);
                imaginary[j] = SUBTRACT(imaginary[i], m);
                real[i] = ADD(real[i], r);
                imaginary[i] = ADD(imaginary[i], m);
            }
            uint64_t next = SUBTRACT(TIMES(w_real, cosine), TIMES(w_imaginary, sine));
            w_imaginary = ADD(TIMES(w_real, sine), TIMES(w_imaginary, cosine));
            w_real = next;
        }
    }
    return (uint32_t)(real[5] >> 20) ^ (uint32_t)imaginary[9];
}

static uint32_t transform(void) {
    static double real[POINTS * 4], imaginary[POINTS * 4];
    const double cosine = 0.99879545620517241, sine = -0.049067674327418015;
    for (int i = 0; i < POINTS * 4; ++i) {
        real[i] = any() % 1000;
        imaginary[i] = 0;
    }
    for (int half = 1; half < POINTS * 4; half *= 2) {
        double w_real = 1, w_imaginary = 0;
        for (int k = 0; k < half; ++k) {
            for (int i = k; i < POINTS * 4; i += 2 * half) {
                int j = i + half;
                double r = real[j] * w_real - imaginary[j] * w_imaginary;
                double m = real[j] * w_imaginary + imaginary[j] * w_real;
                real[j] = real[i] - r;
                imaginary[j] = imaginary[i] - m;
                real[i] += r;
                imaginary[i] += m;
            }
            double next = w_real * cosine - w_imaginary * sine;
            w_imaginary = w_real * sine + w_imaginary * cosine;
            w_real = next;
        }
    }
    return (uint32_t)(int32_t)(real[5] + imaginary[9] * 3);
}

int main(void) {
    static uint32_t (*const workloads[])(void) = {multiply_matrices, check_sum,      grow_tree, read_text,
                                                  move_memory,       transform_soft, transform};
    uint32_t sum = 0;
    for (unsigned round = 0; round < ROUNDS; ++round)
        sum = sum * 33 + workloads[WORKLOAD]();
    printf("%08lx\n", (unsigned long)sum);
    return 0;
}
