/* A 16550 UART: eight registers of one byte, 16-byte FIFOs, real time on the line. Register layout and interrupt
   priorities as in the PC16550D data sheet. The device's clock feeds the divisor. A divisor of 0 sends at the highest
   speed, and receives nothing: until the guest has set its speed, what is typed waits. The line itself is free of faults: no parity and
   framing errors, no breaks.

   0  RBR (read) / THR (write); DLL while LCR.7      4  MCR
   1  IER; DLM while LCR.7                           5  LSR
   2  IIR (read) / FCR (write)                       6  MSR
   3  LCR                                            7  SCR */
#include "base/scale.h"
#include "machine/models.h"

#include <string.h>

enum { RBR, IER, IIR, LCR, MCR, LSR, MSR, SCR, REGISTERS };

enum {
    FIFO_BYTES = 16,
    IER_DATA = 1,
    IER_EMPTY = 2,
    IER_LINE = 4,
    IER_MODEM = 8,
    IIR_MODEM = 0,
    IIR_NONE = 1,
    IIR_EMPTY = 2,
    IIR_DATA = 4,
    IIR_LINE = 6,
    IIR_TIMEOUT = 12,
    FCR_ENABLE = 1,
    FCR_CLEAR_RECEIVE = 2,
    FCR_CLEAR_SEND = 4,
    LCR_DIVISOR = 0x80,
    MCR_DTR = 1,
    MCR_RTS = 2,
    MCR_OUT1 = 4,
    MCR_OUT2 = 8,
    MCR_LOOP = 0x10,
    MCR_WRITABLE = 0x1f,
    LSR_DATA = 1,
    LSR_OVERRUN = 2,
    LSR_SEND_EMPTY = 0x20,
    LSR_IDLE = 0x40,
    MSR_CTS = 0x10,
    MSR_DSR = 0x20,
    MSR_RI = 0x40,
    MSR_DCD = 0x80,
    TIMEOUT_CHARACTERS = 4
};

/* The byte on the line stands at the sender's head, before those that wait. */
struct fifo {
    uint8_t bytes[FIFO_BYTES + 1];
    uint32_t count;
};

struct uart {
    uint8_t registers[REGISTERS]; /* IER, LCR, MCR and SCR as written */
    uint8_t fifo_control;
    uint16_t divisor;
    struct fifo send, receive;
    uint8_t sending, empty_pending;
    uint8_t overrun;   /* LSR_OVERRUN until the line status is read */
    uint8_t changed;   /* the lower half of the modem status: its upper half's changes since it was read */
    uint64_t sent_at;  /* when the byte on the line is out */
    uint8_t receiving; /* INCOMING is on its way in, and is there at ARRIVES_AT */
    uint8_t incoming;
    uint64_t arrives_at;
    uint64_t timeout_at; /* when waiting input is reported though it is below the trigger level */
};

static void fifo_push(struct fifo *fifo, uint8_t byte) {
    fifo->bytes[fifo->count++] = byte;
}

static uint8_t fifo_pop(struct fifo *fifo) {
    uint8_t byte = fifo->bytes[0];
    memmove(fifo->bytes, fifo->bytes + 1, --fifo->count);
    return byte;
}

static unsigned fifo_room(const struct uart *uart) {
    return uart->fifo_control & FCR_ENABLE ? FIFO_BYTES : 1;
}

/* Cycles of the board's clock for one character: a start bit, 5 to 8 data bits, parity, 1 or 2 stop bits. */
static uint64_t character_cycles(const struct uart *uart, const struct ta_slot *slot) {
    unsigned control = uart->registers[LCR];
    uint64_t bits = 1 + 5 + (control & 3) + (control & 8 ? 1 : 0) + (control & 4 ? 2 : 1);
    uint64_t hz = ta_slot_config(slot)->clock_hz;
    return scale_ceiling(bits * 16 * (uart->divisor ? uart->divisor : 1u), ta_slot_clock_hz(slot),
                         hz ? hz : ta_slot_clock_hz(slot));
}

static unsigned trigger_level(const struct uart *uart) {
    static const uint8_t levels[] = {1, 4, 8, 14};
    return uart->fifo_control & FCR_ENABLE ? levels[uart->fifo_control >> 6] : 1;
}

/* What IIR shows: the pending interrupt of the highest priority that is enabled. */
static uint8_t interrupt_cause(const struct uart *uart, uint64_t now) {
    if (uart->registers[IER] & IER_LINE && uart->overrun)
        return IIR_LINE;
    if (uart->registers[IER] & IER_DATA && uart->receive.count >= trigger_level(uart))
        return IIR_DATA;
    if (uart->registers[IER] & IER_DATA && uart->receive.count && now >= uart->timeout_at)
        return IIR_TIMEOUT;
    if (uart->registers[IER] & IER_EMPTY && uart->empty_pending)
        return IIR_EMPTY;
    if (uart->registers[IER] & IER_MODEM && uart->changed)
        return IIR_MODEM;
    return IIR_NONE;
}

static void uart_update(struct uart *uart, struct ta_slot *slot) {
    uint64_t now = ta_slot_now(slot), wake = UINT64_MAX;
    ta_slot_interrupt(slot, interrupt_cause(uart, now) != IIR_NONE);
    if (uart->sending)
        wake = uart->sent_at;
    if (uart->receiving && uart->arrives_at < wake)
        wake = uart->arrives_at;
    if (uart->receive.count && uart->timeout_at > now && uart->timeout_at < wake)
        wake = uart->timeout_at;
    ta_slot_wake_at(slot, wake);
}

/* What waits goes into the shift register: when that empties the holding register, or its FIFO, the program may write again, and is
   told. */
static void start_sending(struct uart *uart, const struct ta_slot *slot) {
    if (uart->sending || !uart->send.count)
        return;
    uart->sending = true;
    uart->empty_pending = uart->send.count == 1;
    uart->sent_at = ta_slot_now(slot) + character_cycles(uart, slot);
}

/* Where there is no room, a byte is lost: with FIFOs this one, without them the one before. */
static void take_in(struct uart *uart, const struct ta_slot *slot, uint8_t byte) {
    bool room = uart->receive.count < fifo_room(uart);
    if (!room)
        uart->overrun = LSR_OVERRUN;
    if (!room && !(uart->fifo_control & FCR_ENABLE))
        uart->receive.count = 0;
    if (uart->receive.count < fifo_room(uart))
        fifo_push(&uart->receive, byte);
    uart->timeout_at = ta_slot_now(slot) + TIMEOUT_CHARACTERS * character_cycles(uart, slot);
}

static void uart_wake(void *state, struct ta_slot *slot) {
    struct uart *uart = state;
    uint64_t now = ta_slot_now(slot);
    if (uart->sending && now >= uart->sent_at) {
        uint8_t byte = fifo_pop(&uart->send);
        uart->sending = false;
        start_sending(uart, slot);
        if (uart->registers[MCR] & MCR_LOOP) /* to its own receiver, as many bits as a word has; nothing leaves */
            take_in(uart, slot, byte & (uint8_t)(0x1f << (uart->registers[LCR] & 3) | 0x1f));
        else
            ta_slot_console_write(slot, &byte, 1);
    }
    if (uart->receiving && now >= uart->arrives_at) {
        uart->receiving = false;
        take_in(uart, slot, uart->incoming);
        ta_slot_console_ready(slot);
    }
    uart_update(uart, slot);
}

static bool uart_receive(void *state, struct ta_slot *slot, uint8_t byte) {
    struct uart *uart = state;
    if (!uart->divisor || uart->registers[MCR] & MCR_LOOP || uart->receiving || uart->receive.count >= fifo_room(uart))
        return false;
    uart->receiving = true;
    uart->incoming = byte;
    uart->arrives_at = ta_slot_now(slot) + character_cycles(uart, slot);
    uart_update(uart, slot);
    return true;
}

static uint8_t line_status(const struct uart *uart) {
    unsigned waiting = uart->send.count - (uart->sending ? 1 : 0);
    return (uint8_t)((uart->receive.count ? LSR_DATA : 0) | uart->overrun | (waiting ? 0 : LSR_SEND_EMPTY) |
                     (uart->send.count ? 0 : LSR_IDLE));
}

/* Carrier, ready and clear to send: the console is always connected. In the loop, the outputs come back as inputs. */
static uint8_t modem_status(const struct uart *uart) {
    unsigned control = uart->registers[MCR];
    if (!(control & MCR_LOOP))
        return MSR_DCD | MSR_DSR | MSR_CTS;
    return (uint8_t)((control & MCR_RTS ? MSR_CTS : 0) | (control & MCR_DTR ? MSR_DSR : 0) |
                     (control & MCR_OUT1 ? MSR_RI : 0) | (control & MCR_OUT2 ? MSR_DCD : 0));
}

/* Changes are remembered, a ring's when it ends. */
static void write_modem_control(struct uart *uart, uint8_t control) {
    uint8_t before = modem_status(uart);
    uart->registers[MCR] = control & MCR_WRITABLE;
    uint8_t changed = before ^ modem_status(uart);
    uart->changed |= (uint8_t)((changed & ~(before & MSR_RI ? 0u : MSR_RI)) >> 4);
}

/* Steady, though it ends an overrun: of a loop that waits, the first round after the overrun came is carried out. */
static uint8_t read_line_status(struct uart *uart) {
    uint8_t value = line_status(uart);
    uart->overrun = 0;
    return value;
}

static uint8_t read_modem_status(struct uart *uart) {
    uint8_t value = modem_status(uart) | uart->changed;
    uart->changed = 0;
    return value;
}

static uint8_t read_data(struct uart *uart, struct ta_slot *slot) {
    if (!uart->receive.count)
        return 0;
    uint8_t byte = fifo_pop(&uart->receive);
    uart->timeout_at = ta_slot_now(slot) + TIMEOUT_CHARACTERS * character_cycles(uart, slot);
    ta_slot_console_ready(slot);
    return byte;
}

static uint64_t uart_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    struct uart *uart = state;
    bool divisor = uart->registers[LCR] & LCR_DIVISOR;
    uint8_t value = 0;
    (void)size_bytes;
    if (offset == LSR && !uart->overrun) /* which programs ask again and again */
        return line_status(uart);
    switch (offset) {
    case RBR: value = divisor ? (uint8_t)uart->divisor : read_data(uart, slot); break;
    case IER: value = divisor ? (uint8_t)(uart->divisor >> 8) : uart->registers[IER]; break;
    case IIR:
        value = interrupt_cause(uart, ta_slot_now(slot));
        if (value == IIR_EMPTY)
            uart->empty_pending = false;
        value |= uart->fifo_control & FCR_ENABLE ? 0xc0 : 0;
        break;
    case LSR: value = read_line_status(uart); break;
    case MSR: value = read_modem_status(uart); break;
    default: value = offset < REGISTERS ? uart->registers[offset] : 0;
    }
    uart_update(uart, slot);
    return value;
}

static void write_data(struct uart *uart, struct ta_slot *slot, uint8_t byte) {
    unsigned waiting = uart->send.count - (uart->sending ? 1 : 0);
    uart->empty_pending = false;
    if (waiting < fifo_room(uart))
        fifo_push(&uart->send, byte); /* a byte too many is lost, as on the real line */
    start_sending(uart, slot);
}

/* Switched on or off, both are emptied; off, the other bits are not looked at. */
static void write_fifo_control(struct uart *uart, uint8_t control) {
    bool switched = (control ^ uart->fifo_control) & FCR_ENABLE;
    uart->fifo_control = control & FCR_ENABLE ? control : 0;
    if (switched || uart->fifo_control & FCR_CLEAR_RECEIVE)
        uart->receive.count = 0;
    if (switched || uart->fifo_control & FCR_CLEAR_SEND)
        uart->send.count = uart->sending ? 1 : 0;
}

static void uart_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct uart *uart = state;
    bool divisor = uart->registers[LCR] & LCR_DIVISOR;
    uint8_t byte = (uint8_t)value;
    (void)size_bytes;
    switch (offset) {
    case RBR:
        if (divisor)
            uart->divisor = (uint16_t)((uart->divisor & 0xff00) | byte);
        else
            write_data(uart, slot, byte);
        break;
    case IER:
        if (divisor)
            uart->divisor = (uint16_t)((uart->divisor & 0xff) | byte << 8);
        else if (byte & IER_EMPTY && !(uart->registers[IER] & IER_EMPTY) && line_status(uart) & LSR_SEND_EMPTY)
            uart->empty_pending = true;
        if (!divisor)
            uart->registers[IER] = byte & 0x0f;
        break;
    case IIR: write_fifo_control(uart, byte); break;
    case LSR:
    case MSR: break;
    case MCR: write_modem_control(uart, byte); break;
    default:
        if (offset < REGISTERS)
            uart->registers[offset] = byte;
    }
    uart_update(uart, slot);
    ta_slot_console_ready(slot);
}

static void uart_keep(void *state, struct ta_keeper *keeper) {
    struct uart *uart = state;
    struct fifo *const fifos[] = {&uart->send, &uart->receive};
    for (size_t i = 0; i < 2; ++i) {
        TA_KEEP_ALL(keeper, fifos[i]->bytes);
        TA_KEEP(keeper, fifos[i]->count);
    }
    TA_KEEP_ALL(keeper, uart->registers);
    TA_KEEP(keeper, uart->fifo_control);
    TA_KEEP(keeper, uart->divisor);
    TA_KEEP(keeper, uart->sending);
    TA_KEEP(keeper, uart->empty_pending);
    TA_KEEP(keeper, uart->overrun);
    TA_KEEP(keeper, uart->changed);
    TA_KEEP(keeper, uart->sent_at);
    TA_KEEP(keeper, uart->receiving);
    TA_KEEP(keeper, uart->incoming);
    TA_KEEP(keeper, uart->arrives_at);
    TA_KEEP(keeper, uart->timeout_at);
}

static bool uart_is_sound(const void *state, const struct ta_slot *slot) {
    const struct uart *uart = state;
    (void)slot;
    return uart->send.count <= FIFO_BYTES + 1 && uart->receive.count <= FIFO_BYTES &&
           uart->send.count >= (uart->sending != 0);
}

static void uart_reset(void *state, struct ta_slot *slot) {
    memset(state, 0, sizeof(struct uart));
    uart_update(state, slot);
}

const struct ta_device_kind model_uart16550 = {
    .version = TA_DEVICE_VERSION,
    .model = "uart16550",
    .summary = "serial line with 16-byte FIFOs (16550)",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct uart),
    .widths = 1,
    .keep = uart_keep,
    .reset = uart_reset,
    .wake = uart_wake,
    .steady = (const uint64_t[]){LSR},
    .steady_count = 1,
    .read = uart_read,
    .write = uart_write,
    .receive = uart_receive,
    .is_sound = uart_is_sound,
};
