/**
 * @file wg_handlers.h
 * ISRs, and what of the rest of the program depends on registers.
 */
#ifndef WG_HANDLERS_H
#define WG_HANDLERS_H

#include <stdbool.h>
#include <stdint.h>

/** Fetch results of converters that are polled; returns once nothing more is there. Context: main loop. */
void wg_poll_results(void);

/** Hand over what is left of each half. Context: main loop, at the end. */
void wg_send_tails(void);

/** Give a code to a DAC. Context: main loop. */
void wg_put_code(uint32_t dac, uint16_t code);

/** The newest result of a signal that is reported; false where there is none yet. Context: main loop. */
bool wg_newest(uint32_t source, uint32_t *code);

/** Whether a UART takes another byte. Context: main loop. */
bool wg_uart_has_room(uint32_t uart);

/** Give a byte to a UART. Context: main loop. */
void wg_uart_put(uint32_t uart, uint8_t byte);

#endif
