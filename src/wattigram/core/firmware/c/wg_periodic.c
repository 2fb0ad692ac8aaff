/**
 * @file wg_periodic.c
 * DACs that software takes from code to code.
 */
#include "wg_periodic.h"

#include "wg_clock.h"
#include "wg_control.h"
#include "wg_design.h"
#include "wg_port.h"

typedef struct {
    uint64_t due;
    uint32_t place;
} ramp_state;

static ramp_state ramps[WG_RAMPS_OR_ONE];

void wg_periodic_begin(void)
{
    for (uint32_t n = 0u; n < wg_ramp_count; n++) {
        ramps[n].due = wg_clock_epoch() + wg_ramps[n].begin_ticks;
        ramps[n].place = 0u;
    }
}

static void step(uint32_t n, uint64_t now)
{
    const wg_ramp *design = &wg_ramps[n];
    while (ramps[n].due <= now && ramps[n].place < design->count) {
        wg_put_code(design->dac, design->codes[ramps[n].place]);
        ramps[n].place++;
        ramps[n].due += design->dwell_ticks;
        if (ramps[n].place == design->count && design->again) {
            ramps[n].place = 0u;
        }
    }
}

void wg_periodic_work(void)
{
    uint64_t first = 0u;
    if (wg_ramp_count == 0u) {
        return;
    }
    const uint64_t now = wg_port_now();
    for (uint32_t n = 0u; n < wg_ramp_count; n++) {
        step(n, now);
        if (ramps[n].place < wg_ramps[n].count && (first == 0u || ramps[n].due < first)) {
            first = ramps[n].due;
        }
    }
    wg_clock_wake(WG_WAKE_PERIODIC, first > now ? first - now : first == 0u ? 0u : 1u);
}
