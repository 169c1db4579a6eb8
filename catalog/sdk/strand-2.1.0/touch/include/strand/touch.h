/* The touch panel: what a finger does, in points of the screen beneath. */
#ifndef STRAND_TOUCH_H
#define STRAND_TOUCH_H

enum strand_touched { STRAND_NOTHING, STRAND_PRESS, STRAND_MOVE, STRAND_RELEASE };

struct strand_touch {
    enum strand_touched what;
    int x, y;
};

void strand_touch_open(void);

/* The next thing that the finger did and that nobody has asked for yet; STRAND_NOTHING when there is none. Does not wait. */
struct strand_touch strand_touch_next(void);

#endif
