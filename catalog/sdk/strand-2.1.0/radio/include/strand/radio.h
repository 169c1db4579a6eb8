/* Messages of text by radio, 1 to 160 bytes each. */
#ifndef STRAND_RADIO_H
#define STRAND_RADIO_H

enum { STRAND_MESSAGE_BYTES = 160 };

/* Turns the radio on. From then on it hears; four messages can wait. An interrupt tells of each that comes, and of each that has gone out. */
void strand_radio_open(void);

/* Sends TEXT; does not wait until it is out. 0, or -1 when there is nothing to send, it is too long, or the message before is still on its way
   out. */
int strand_radio_send(const char *text);

/* The oldest message that came and that nobody has asked for yet, cut to SIZE - 1 bytes, with a zero behind it. Its length, or 0 when there is
   none. */
int strand_radio_next(char *text, int size);

#endif
