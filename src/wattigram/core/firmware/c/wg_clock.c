/**
 * @file wg_clock.c
 * Ticks since the start, and who wants to be woken when.
 */
#include "wg_clock.h"

#include "wg_port.h"

static bool is_counting;
static uint64_t lasted;
static uint64_t wakes[WG_WAKES];
static uint64_t armed;

uint64_t wg_began;

void wg_clock_begin(void)
{
    is_counting = true;
    wg_began = wg_port_now();
}

void wg_clock_end(uint64_t most)
{
    const uint64_t now = wg_clock_ticks();
    lasted = most != 0u && now > most ? most : now;
    is_counting = false;
    for (uint32_t who = 0u; who < (uint32_t)WG_WAKES; who++) {
        wakes[who] = 0u;
    }
}

uint64_t wg_clock_ticks(void)
{
    return is_counting ? wg_port_now() - wg_began : lasted;
}

uint64_t wg_clock_epoch(void)
{
    return wg_began;
}

void wg_clock_wake(uint32_t who, uint64_t ticks)
{
    wakes[who] = ticks == 0u ? 0u : wg_port_now() + ticks;
}

void wg_clock_wake_at(uint32_t who, uint64_t ticks)
{
    wakes[who] = ticks == 0u ? 0u : wg_began + ticks;
}

void wg_clock_set_alarm(void)
{
    uint64_t first = 0u;
    for (uint32_t who = 0u; who < (uint32_t)WG_WAKES; who++) {
        if (wakes[who] != 0u && (first == 0u || wakes[who] < first)) {
            first = wakes[who];
        }
    }
    if (first == armed) {
        return;
    }
    armed = first;
    if (first != 0u) {
        const uint64_t now = wg_port_now();
        const uint64_t rest = first > now ? first - now : 1u;
        wg_port_wake_after(rest > UINT32_MAX ? UINT32_MAX : (uint32_t)rest);
    } else {
        wg_port_wake_after(0u);
    }
}

bool wg_clock_is_past_end(uint64_t at)
{
    return wakes[WG_WAKE_END] != 0u && at > wakes[WG_WAKE_END];
}

bool wg_clock_is_due(void)
{
    return armed != 0u && wg_port_now() >= armed;
}
