/* The board's compass and its motion sensor. */
#ifndef STRAND_SENSORS_H
#define STRAND_SENSORS_H

/* Turns both on. 0, or -1 when one of them does not answer. */
int strand_sensors_open(void);

/* Where the board points: tenths of a degree from north to the east, 0 to 3599; -1 when the compass does not answer. */
int strand_heading(void);

/* Which way is down, in thousandths of g, and how fast the board turns, in tenths of a degree a second, about its own axes: x to the right,
   y away from you, z up. */
struct strand_motion {
    int acceleration[3], rotation[3];
};

/* 0, or -1 when the sensor does not answer. */
int strand_motion(struct strand_motion *motion);

#endif
