/**
 * @file wg_run.c
 * Starting, running and stopping.
 */
#include "wg_run.h"

#include "wg_chain.h"
#include "wg_design.h"
#include "wg_handlers.h"
#include "wg_hooks.h"
#include "wg_link.h"
#include "wg_paced.h"
#include "wg_port.h"
#include "wg_setup.h"
#include "wg_watch.h"

static bool is_on;
static bool has_begun;
static uint64_t wanted;
static uint64_t lasted;
static uint64_t wakes[WG_WAKES];
static uint64_t armed;

volatile uint32_t wg_wish;
uint64_t wg_began;

void wg_run_start(uint64_t ticks)
{
    wg_chain_begin();
    wanted = ticks;
    has_begun = true;
    is_on = true;
    wg_began = wg_port_now();
    wg_on_start();
    wg_setup();
    wg_began = wg_port_now();
    wg_paced_begin();
}

void wg_run_stop(void)
{
    if (!is_on) {
        return;
    }
    wg_poll_results();
    wg_chain_work();
    wg_send_tails();
    wg_silence();
    wg_chain_work();
    lasted = wg_run_ticks();
    is_on = false;
    for (uint32_t who = 0u; who < (uint32_t)WG_WAKES; who++) {
        wakes[who] = 0u;
    }
    wg_on_stop();
}

bool wg_run_is_on(void)
{
    return is_on;
}

bool wg_run_has_begun(void)
{
    return has_begun;
}

bool wg_run_is_over(void)
{
    return is_on && wanted != 0u && wg_run_ticks() >= wanted;
}

uint64_t wg_run_ticks(void)
{
    return is_on ? wg_port_now() - wg_began : lasted;
}

uint64_t wg_run_epoch(void)
{
    return wg_began;
}

void wg_run_wake(uint32_t who, uint64_t ticks)
{
    wakes[who] = ticks == 0u ? 0u : wg_port_now() + ticks;
}

/** Ask for the earliest of all wakes. */
static void set_alarm(void)
{
    uint64_t first = 0u;
    wakes[WG_WAKE_END] = is_on && wanted != 0u ? wg_began + wanted : 0u;
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

/** Whether nothing is left to be done before an interrupt comes; they are held back, so that none comes unseen. */
static bool may_sleep(void)
{
    const bool is_due = armed != 0u && wg_port_now() >= armed;
    return !is_due && wg_wish == 0u && !wg_chain_waits() && !wg_watch_waits();
}

void wg_run_step(void)
{
    wg_link_obey();
    if (wg_wish != 0u) {
        const bool starts = wg_wish == 1u;
        wg_wish = 0u;
        wg_run_stop();
        if (starts) {
            wg_run_start(0u);
        }
    }
    if (is_on) {
        wg_poll_results();
        wg_chain_work();
        wg_paced_work();
    }
    set_alarm();
    if (!is_on || !WG_NEVER_SLEEPS) {
        const uint32_t before = wg_port_hold();
        if (may_sleep()) {
            wg_port_sleep();
        }
        wg_port_release(before);
    }
}
