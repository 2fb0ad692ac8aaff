/**
 * @file wg_port.h
 * What the rest of this firmware needs from a board: bytes out, bytes in, the time, and sleep.
 *
 * port.c holds the functions. It is made once and is yours from then on.
 */
#ifndef WG_PORT_H
#define WG_PORT_H

#include <stdint.h>

/**
 * Send bytes to the host. Context: main loop.
 * The bytes may change as soon as this returns, so copy them, or wait until they are out.
 */
void wg_port_send(const void *bytes, uint32_t count);

/** Bytes that came from the host, at most `most`; gives how many. Context: main loop. */
uint32_t wg_port_receive(uint8_t *bytes, uint32_t most);

/** Ticks since reset, WG_TICK_HZ of them a second; never goes back. Context: anywhere. */
uint64_t wg_port_now(void);

/** Let an interrupt come after so many ticks, once; 0 for none. Context: main loop. */
void wg_port_wake_after(uint32_t ticks);

/** Sleep until an interrupt comes; may return at any time. Context: main loop. */
void wg_port_sleep(void);

#endif
