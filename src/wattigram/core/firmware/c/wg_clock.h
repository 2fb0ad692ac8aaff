/**
 * @file wg_clock.h
 * Ticks since the start, and who wants to be woken when.
 */
#ifndef WG_CLOCK_H
#define WG_CLOCK_H

#include <stdbool.h>
#include <stdint.h>

/** Who may want to be woken. */
enum { WG_WAKE_END, WG_WAKE_THRESHOLD, WG_WAKE_PERIODIC, WG_WAKE_PROGRAM, WG_WAKE_SERIAL, WG_WAKES };

/** Ticks of the last start, since reset. */
extern uint64_t wg_began;

/** Count from now. Context: main loop. */
void wg_clock_begin(void);

/** Count no further, and wake nobody; of a run of `most` ticks no more are told, 0 for one without end. Context: main loop. */
void wg_clock_end(uint64_t most);

/** Whether an instant, in ticks since reset, lies beyond the end of a run that has one. Context: ISR or main loop. */
bool wg_clock_is_past_end(uint64_t at);

/** Ticks since the start; up to the end where it has ended. */
uint64_t wg_clock_ticks(void);

/** Ticks of the start, since reset. */
uint64_t wg_clock_epoch(void);

/** Wake after so many ticks; 0 for no need. Context: main loop. */
void wg_clock_wake(uint32_t who, uint64_t ticks);

/** Wake when so many ticks since the start have passed; 0 for no need. Context: main loop. */
void wg_clock_wake_at(uint32_t who, uint64_t ticks);

/** Ask for the earliest of all wakes. Context: main loop. */
void wg_clock_set_alarm(void);

/** The earliest of all wakes has come. */
bool wg_clock_is_due(void);

#endif
