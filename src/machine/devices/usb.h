/* A USB device controller, and the computer at the other end of its cable. The controller's file has the registers, the computer's what it
   asks the device (USB 2.0, chapter 9; HID 1.11) and how it takes what a keyboard types. Once a millisecond the computer tries one
   transaction. */
#ifndef TA_MACHINE_DEVICES_USB_H
#define TA_MACHINE_DEVICES_USB_H

#include "tameanchor/device.h"

enum { USB_PACKET = 64, USB_ANSWER = 256, USB_REPORT = 8 };

/* What the program has laid ready at an endpoint. */
struct usb_endpoint {
    uint8_t bytes[USB_PACKET];
    uint8_t length, armed, stalled;
};

struct usb {
    uint32_t control, address, pending, frame;
    uint8_t setup[8];
    struct usb_endpoint control_in, interrupt_in;
    uint8_t plugged;

    /* The computer's side. */
    uint8_t phase, request, stage, packet, interval, since_poll;
    uint16_t waited, got, total;
    uint8_t answer[USB_ANSWER], report[USB_REPORT];
};

/* What the program is told. */
enum {
    USB_RESET = 1 << 8,
    USB_SETUP = 1 << 9,
    USB_CONTROL_TAKEN = 1 << 10,
    USB_REPORT_TAKEN = 1 << 11,
    USB_CABLE = 1 << 12
};
enum { USB_CONNECT = 1, USB_INTERRUPTS = 2 };

/* A millisecond has passed. (usb_computer.c) */
void usb_computer_frame(struct usb *usb, struct ta_slot *slot);
/* The device is gone: the cable is out, or the program has let go. */
void usb_computer_detach(struct usb *usb, struct ta_slot *slot);
/* Whether what a snapshot says of it can be. */
bool usb_computer_is_sound(const struct usb *usb);

#endif
