/* The battery. */
#ifndef STRAND_BATTERY_H
#define STRAND_BATTERY_H

struct strand_battery {
    int charge; /* tenths of a percent */
    int mv;
    int ma; /* more than 0 while it is charged */
};

struct strand_battery strand_battery(void);

#endif
