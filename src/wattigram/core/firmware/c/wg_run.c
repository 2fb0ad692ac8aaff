/**
 * @file wg_run.c
 * Starting, running and stopping.
 */
#include "wg_run.h"

#include "wg_chain.h"
#include "wg_clock.h"
#include "wg_design.h"
#include "wg_hooks.h"
#include "wg_isr.h"
#include "wg_periodic.h"
#include "wg_port.h"
#include "wg_program.h"
#include "wg_setup.h"
#include "wg_threshold.h"

static bool is_on;
static bool has_begun;
static uint64_t wanted;

volatile uint32_t wg_request;

void wg_run_start(uint64_t ticks)
{
    wg_chain_begin();
    wanted = ticks;
    has_begun = true;
    is_on = true;
    wg_clock_begin();
    wg_on_start();
    wg_setup();
    wg_clock_begin();
    wg_clock_wake_at(WG_WAKE_END, wanted);
    wg_periodic_begin();
    wg_program_begin();
}

void wg_run_stop(void)
{
    if (!is_on) {
        return;
    }
    wg_poll_results();
    wg_chain_work();
    wg_program_end();
    wg_send_tails();
    wg_disable();
    wg_chain_work();
    wg_clock_end(wanted);
    is_on = false;
    wg_on_stop();
}

void wg_run_end(void)
{
    if (is_on && (wanted == 0u || wg_clock_ticks() < wanted)) {
        wanted = wg_clock_ticks() + 1u;
        wg_clock_wake_at(WG_WAKE_END, wanted);
    }
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
    return is_on && wanted != 0u && wg_clock_ticks() >= wanted;
}

/** Whether nothing is left to be done before an interrupt comes; they are held back, so that none comes unseen. */
static bool may_sleep(void)
{
    return !wg_clock_is_due() && wg_request == 0u && !wg_chain_waits() && !wg_threshold_waits();
}

void wg_run_step(void)
{
    if (wg_request != 0u) {
        const bool starts = wg_request == 1u;
        wg_request = 0u;
        wg_run_stop();
        if (starts) {
            wg_run_start(0u);
        }
    }
    if (is_on) {
        wg_poll_results();
        wg_chain_work();
        wg_periodic_work();
        wg_program_work();
    }
    wg_clock_set_alarm();
    if (!is_on || !WG_NEVER_SLEEPS) {
        const uint32_t before = wg_port_hold();
        if (may_sleep()) {
            wg_port_sleep();
        }
        wg_port_release(before);
    }
}
