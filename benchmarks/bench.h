/* What the files of the benchmark share. */
#ifndef TA_BENCH_H
#define TA_BENCH_H

#include <stddef.h>

/* How many rows were over their limit. */
extern int over_limit;

/* One line: what was measured, against what, and the ratio beside the most that it may be. */
void row(const char *what, double value, const char *unit, const char *limit_name, double limit, double most);

/* The same for rounds that take both, one behind the other: the median of their ratios, since a computer is quicker in one minute than in
   the next. */
enum { MOST_ROUNDS = 64 };
struct rounds {
    double values[MOST_ROUNDS], limits[MOST_ROUNDS];
    size_t count;
};
void row_of_rounds(const char *what, const struct rounds *rounds, const char *unit, const char *limit_name,
                   double most);

double now_s(void);
double median(const double *values, size_t count);

/* Runs a command in FOLDER and gives its time; what it USED besides, unless null. Ends the benchmark when it fails. */
struct used {
    double memory_mib, user_s;
};
double run(const char *folder, struct used *used, const char *const *arguments);
#define RUN(folder, ...) run(folder, NULL, (const char *const[]){__VA_ARGS__, NULL})

/* The engine of the harts, against this computer. (harts.c) */
void bench_harts(const char *folder);
/* What single things cost a hart. (costs.c) */
void bench_costs(void);
/* Builds of many files, of ten thousand, and of an example. (builds.c) */
void bench_builds(const char *folder);
void bench_large(const char *folder);
void bench_example(const char *folder);
/* Screens, and what looks at them. (screens.c) */
void bench_screens(const char *folder);

#endif
