/**
 * @file wg_run.h
 * Starting, running and stopping.
 */
#ifndef WG_RUN_H
#define WG_RUN_H

#include <stdbool.h>
#include <stdint.h>

/** Who may want to be woken. */
enum { WG_WAKE_END, WG_WAKE_WATCH, WG_WAKE_PACED, WG_WAKES };

/** For a debugger that has no other way to speak: 1 starts, 2 stops; it is 0 again once that is done. */
extern volatile uint32_t wg_wish;

/** Ticks of the last start, since reset. */
extern uint64_t wg_began;

/** Do all that is to be done now, then sleep. Call it for ever. Context: main loop. */
void wg_run_step(void);

/** Set up and start; stop after so many ticks, 0 for never. Context: main loop. */
void wg_run_start(uint64_t ticks);

/** Stop, and send what is left. Context: main loop. */
void wg_run_stop(void);

/** It has been started and not been stopped. */
bool wg_run_is_on(void);

/** It was started at least once. */
bool wg_run_has_begun(void);

/** The time it was to run for has passed. */
bool wg_run_is_over(void);

/** Ticks since the start; up to the stop where it has been stopped. */
uint64_t wg_run_ticks(void);

/** Ticks of the start, since reset. */
uint64_t wg_run_epoch(void);

/** Wake after so many ticks; 0 for no need. Context: main loop. */
void wg_run_wake(uint32_t who, uint64_t ticks);

/** Start a converter once, as an event wants it. Context: main loop. */
void wg_run_trigger(uint32_t chain);

/** Stop a converter until it is resumed. Context: main loop. */
void wg_run_halt(uint32_t chain);

/** Let a halted converter run again. Context: main loop. */
void wg_run_resume(uint32_t chain);

#endif
