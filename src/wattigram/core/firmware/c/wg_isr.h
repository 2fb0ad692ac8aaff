/**
 * @file wg_isr.h
 * ISRs, and what they leave to the main loop.
 */
#ifndef WG_ISR_H
#define WG_ISR_H

#include <stdint.h>

/** Fetch results of converters that are polled; returns once nothing more is there. Context: main loop. */
void wg_poll_results(void);

/** Take the newest result of each slot of a chain that DMA keeps fresh. Context: main loop. */
void wg_read_newest(uint32_t chain);

/** Hand over what is left of each half. Context: main loop, at the end. */
void wg_send_tails(void);

#endif
