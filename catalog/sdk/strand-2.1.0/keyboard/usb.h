/* The board's end of the cable: requests are answered by interrupt; reports go out one by one (usb.c). */
#ifndef STRAND_KEYBOARD_USB_H
#define STRAND_KEYBOARD_USB_H

#include <stdbool.h>
#include <stdint.h>

enum { USB_REPORT_BYTES = 8 };

void usb_open(void);

/* Whether the computer has chosen our configuration. */
bool usb_is_configured(void);

/* Waits until the computer has taken REPORT; false when it does not within a second, or is gone. */
bool usb_report(const uint8_t report[USB_REPORT_BYTES]);

#endif
