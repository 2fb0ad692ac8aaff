/**
 * @file wg_serial.c
 * Serial ports that the program sends by.
 */
#include "wg_serial.h"

#include "wg_control.h"

typedef struct {
    uint32_t in;                    /* bytes that were put into the ring */
    uint32_t out;                   /* bytes that were given to the port */
    uint32_t dropped;
} port_state;

static port_state states[WG_SERIAL_OR_ONE];

void wg_serial_begin(void)
{
    for (uint32_t n = 0u; n < wg_serial_count; n++) {
        states[n] = (port_state){0};
    }
}

static void pump(uint32_t port)
{
    const wg_serial_port *design = &wg_serial_ports[port];
    port_state *state = &states[port];
    while (state->in != state->out && wg_uart_has_room(port)) {
        wg_uart_put(port, design->ring[state->out & (design->room - 1u)]);
        state->out++;
    }
}

bool wg_serial_send(uint32_t port, const wg_text *text)
{
    const wg_serial_port *design = &wg_serial_ports[port];
    port_state *state = &states[port];
    pump(port);
    if (state->in - state->out + text->count > design->room) {
        state->dropped++;
        return false;
    }
    for (uint32_t n = 0u; n < text->count; n++) {
        design->ring[state->in & (design->room - 1u)] = text->bytes[n];
        state->in++;
    }
    pump(port);
    return true;
}

uint32_t wg_serial_dropped(uint32_t port)
{
    return states[port].dropped;
}

uint32_t wg_serial_work(void)
{
    uint32_t soonest = 0u;
    for (uint32_t n = 0u; n < wg_serial_count; n++) {
        pump(n);
        const uint32_t ticks = wg_serial_ports[n].byte_ticks;
        if (states[n].in != states[n].out && (soonest == 0u || ticks < soonest)) {
            soonest = ticks;
        }
    }
    return soonest;
}
