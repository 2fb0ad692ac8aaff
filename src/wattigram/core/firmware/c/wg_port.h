/**
 * @file wg_port.h
 * What the rest of this firmware needs from a board: bytes out, bytes in, the time, sleep, and a moment undisturbed.
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

/**
 * Sleep until an interrupt comes; one that is held back wakes too. May return at any time, and must while bytes wait.
 * Context: main loop, interrupts held back.
 */
void wg_port_sleep(void);

/**
 * Hold interrupts back; what they write is in memory by then. Gives what wg_port_release() needs. Context: anywhere.
 */
uint32_t wg_port_hold(void);

/** Let interrupts come as they did before; what was written meanwhile is in memory. Context: anywhere. */
void wg_port_release(uint32_t before);

#endif
