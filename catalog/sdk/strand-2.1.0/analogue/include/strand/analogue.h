/* The board's analogue inputs. */
#ifndef STRAND_ANALOGUE_H
#define STRAND_ANALOGUE_H

void strand_analogue_open(void);

/* The voltage at input CHANNEL (BOARD_..._PIN of board.h) in mV, from 0 to what the board can measure. Takes 10 us. */
int strand_analogue_mv(unsigned channel);

#endif
