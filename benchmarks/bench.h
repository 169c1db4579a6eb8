/* What the files of the benchmark share. */
#ifndef TA_BENCH_H
#define TA_BENCH_H

/* How many rows were over their limit. */
extern int over_limit;

/* One line: what was measured, against what, and the ratio beside the most that it may be. */
void row(const char *what, double value, const char *unit, const char *limit_name, double limit, double most);

double now_s(void);

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
/* Screens, and what looks at them. (screens.c) */
void bench_screens(const char *folder);

#endif
