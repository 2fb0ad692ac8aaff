/**
 * @file wg_run.h
 * Starting, running and stopping.
 */
#ifndef WG_RUN_H
#define WG_RUN_H

#include <stdbool.h>
#include <stdint.h>

/** For a debugger that has no other way to speak: 1 starts, 2 stops; it is 0 again once that is done. */
extern volatile uint32_t wg_request;

/** Do all that is to be done now, then sleep. Context: main loop. */
void wg_run_step(void);

/** Set up and start; stop after so many ticks, 0 for never. Context: main loop. */
void wg_run_start(uint64_t ticks);

/** Stop, and send what is left. Context: main loop. */
void wg_run_stop(void);

/** Let the run end here, as if it had been meant to last until now. Context: main loop. */
void wg_run_end(void);

/** It has been started and not been stopped. */
bool wg_run_is_on(void);

/** It was started at least once. */
bool wg_run_has_begun(void);

/** The time it was to run for has passed. */
bool wg_run_is_over(void);

#endif
