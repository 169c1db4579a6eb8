/* The log: lines that wait to be typed, the oldest first. */
#ifndef LOG_H
#define LOG_H

/* Adds a line, which ends with "\n" then; the oldest one goes when there is no more room. */
void log_note(const char *format, ...) __attribute__((format(printf, 1, 2)));

/* The oldest line, or null; and away with it. */
const char *log_first(void);
void log_drop(void);

#endif
