/**
 * @file wg_serial.h
 * Serial ports that the program sends by: what is sent waits in a ring until the port takes it.
 */
#ifndef WG_SERIAL_H
#define WG_SERIAL_H

#include <stdbool.h>
#include <stdint.h>

#include "wg_text.h"

/** The ring of a port. */
typedef struct {
    uint8_t *ring;
    uint32_t room;                  /**< of it, a power of two */
    uint32_t byte_ticks;            /**< of a byte on the wire */
} wg_serial_port;

extern const wg_serial_port wg_serial_ports[];
extern const uint32_t wg_serial_count;

/** Forget what waits. Context: main loop. */
void wg_serial_begin(void);

/** Send a text, numbered as ports are; false where it finds no room, and then nothing of it is sent. Context: main loop. */
bool wg_serial_send(uint32_t port, const wg_text *text);

/** Texts that found no room since the start. */
uint32_t wg_serial_dropped(uint32_t port);

/** Give ports what they take now; ticks until one may take more, 0 where nothing waits. Context: main loop. */
uint32_t wg_serial_work(void);

#endif
