/**
 * @file wg_setup.h
 * All registers that the design sets.
 */
#ifndef WG_SETUP_H
#define WG_SETUP_H

/** Set everything up, in its order, and start it. Context: main loop. */
void wg_setup(void);

/** Stop everything that wg_setup() started. Context: main loop. */
void wg_disable(void);

#endif
