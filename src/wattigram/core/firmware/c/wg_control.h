/**
 * @file wg_control.h
 * What the program does to peripherals while they run.
 */
#ifndef WG_CONTROL_H
#define WG_CONTROL_H

#include <stdbool.h>
#include <stdint.h>

/** Give a code to a DAC. Context: main loop. */
void wg_put_code(uint32_t dac, uint16_t code);

/** Whether a UART takes another byte. Context: main loop. */
bool wg_uart_has_room(uint32_t uart);

/** Give a byte to a UART. Context: main loop. */
void wg_uart_put(uint32_t uart, uint8_t byte);

/** Start a converter once, as an event wants it. Context: main loop. */
void wg_control_trigger(uint32_t chain);

/** Stop a converter until it is resumed. Context: main loop. */
void wg_control_halt(uint32_t chain);

/** Let a halted converter run again. Context: main loop. */
void wg_control_resume(uint32_t chain);

/** Let a chain whose single run is over fill its buffer once more. Context: main loop. */
void wg_control_rearm(uint32_t chain);

#endif
