/**
 * @file wg_threshold.c
 * Thresholds and redundant pairs in integers; events go out in the order in which they are found.
 */
#include "wg_threshold.h"

#include <stddef.h>

#include "wg_clock.h"
#include "wg_control.h"
#include "wg_design.h"
#include "wg_hooks.h"
#include "wg_link.h"
#include "wg_port.h"

typedef struct {
    uint32_t waiting;       /* values of the signal that wait */
    uint32_t first_waiting; /* where the oldest lies, as that of the partners */
    uint32_t partners;
    uint32_t first_partner;
    uint32_t in_a_row;
    bool is_inside;
    bool is_disarmed;
    bool wants_stop;
    bool is_stopped;
    uint64_t since;
} watch_state;

static watch_state states[WG_WATCHES_OR_ONE];
static wg_event events[WG_EVENTS_KEPT];
static volatile uint32_t events_in;
static volatile uint32_t events_out;
static volatile uint16_t noted[WG_ACTED_UPON]; /* events to be acted upon: number, and whether they hold */
static volatile uint32_t noted_in;
static volatile uint32_t noted_out;

void wg_threshold_begin(void)
{
    for (uint32_t n = 0u; n < wg_threshold_count; n++) {
        states[n] = (watch_state){0};
    }
    events_out = events_in;
    noted_out = noted_in;
}

bool wg_threshold_next(uint32_t *number, bool *holds)
{
    if (noted_in == noted_out) {
        return false;
    }
    const uint32_t one = noted[noted_out % WG_ACTED_UPON];
    noted_out = noted_out + 1u;
    *number = one >> 1;
    *holds = (one & 1u) != 0u;
    return true;
}

/** Events of the main loop and of ISRs share a ring; what finds it full is lost. */
static void keep(uint32_t number, bool entered, int64_t value, uint64_t ticks)
{
    const uint32_t before = wg_port_hold();
    if (wg_acted_upon[number] && noted_in - noted_out < WG_ACTED_UPON) {
        noted[noted_in % WG_ACTED_UPON] = (uint16_t)(number << 1 | (entered ? 1u : 0u));
        noted_in = noted_in + 1u;
    }
    if (events_in - events_out < WG_EVENTS_KEPT) {
        wg_event *event = &events[events_in % WG_EVENTS_KEPT];
        event->window = (uint16_t)number;
        event->entered = entered ? 1u : 0u;
        event->spare = 0u;
        event->value = value > INT32_MAX ? INT32_MAX : value < INT32_MIN ? INT32_MIN : (int32_t)value;
        event->ticks = ticks;
        events_in = events_in + 1u;
    }
    wg_port_release(before);
}

/** Events that wait to be sent. */
static uint32_t events_waiting(void)
{
    const uint32_t before = wg_port_hold();
    const uint32_t count = events_in - events_out;
    wg_port_release(before);
    return count;
}

bool wg_threshold_waits(void)
{
    return events_waiting() != 0u;
}

void wg_threshold_tell(uint32_t number, bool entered, int32_t value, uint64_t ticks)
{
    keep(number, entered, value, ticks - wg_clock_epoch());
}

/** Hardware that judges by itself has stopped a chain; the program starts it again where it is to. */
static void note_stop(const wg_event *event)
{
    for (uint32_t n = 0u; n < wg_threshold_count; n++) {
        const wg_threshold *design = &wg_thresholds[n];
        if (design->filter == WG_NOTHING && design->number == event->window && event->entered != 0u && design->again) {
            states[n].is_stopped = true;
            states[n].since = wg_port_now();
        }
    }
}

static void send_events(void)
{
    for (uint32_t count = events_waiting(); count != 0u; count = events_waiting()) {
        const uint32_t at = events_out % WG_EVENTS_KEPT;
        count = at + count > WG_EVENTS_KEPT ? WG_EVENTS_KEPT - at : count;
        const wg_frame frame = {.kind = WG_EVENTS, .item_bytes = 16u, .count = count, .ticks = events[at].ticks};
        wg_link_send(&frame, &events[at]);
        for (uint32_t n = at; n < at + count; n++) {
            note_stop(&events[n]);
            wg_hooks_event(events[n].window, events[n].entered != 0u, events[n].value);
        }
        events_out = events_out + count;
    }
}

static void judge(uint32_t watch, int64_t value, uint64_t ticks)
{
    const wg_threshold *design = &wg_thresholds[watch];
    watch_state *state = &states[watch];
    const int64_t slack = design->hysteresis;
    bool holds;
    bool leaves;
    if (!design->is_armed || state->is_disarmed) {
        return;
    }
    switch (design->condition) {
    case WG_INSIDE:
        holds = value >= design->low && value <= design->high;
        leaves = value < design->low - slack || value > design->high + slack;
        break;
    case WG_ABOVE:
        holds = value > design->high;
        leaves = value <= design->high - slack;
        break;
    case WG_BELOW:
        holds = value < design->low;
        leaves = value >= design->low + slack;
        break;
    default:
        holds = value < design->low || value > design->high;
        leaves = value >= design->low + slack && value <= design->high - slack;
        break;
    }
    state->in_a_row = holds ? state->in_a_row + 1u : 0u;
    const bool enters = holds && state->in_a_row >= design->times;
    const bool goes_on = state->is_inside && design->every && enters && !leaves;
    if (!(state->is_inside ? leaves || goes_on : enters)) {
        return;
    }
    state->is_inside = goes_on || !state->is_inside;
    keep(design->number, state->is_inside, value, ticks);
    if (events_waiting() >= WG_EVENTS_KEPT - 8u) {
        send_events();
    }
    if (state->is_inside) {
        state->is_disarmed = design->once;
        state->wants_stop = state->wants_stop || design->stops != WG_NOTHING;
        if (design->starts != WG_NOTHING) {
            wg_control_trigger(design->starts);
        }
    }
}

/** Narrow a stretch of values to those that leave a watch as it is; false where it wants to see each. */
static bool narrow(uint32_t watch, int64_t value, int64_t *least, int64_t *most)
{
    const wg_threshold *design = &wg_thresholds[watch];
    const watch_state *state = &states[watch];
    const int64_t slack = state->is_inside ? design->hysteresis : 0;
    int64_t from = INT64_MIN;
    int64_t to = INT64_MAX;
    if (!design->is_armed || state->is_disarmed) {
        return true;
    }
    if (state->is_inside ? design->every : state->in_a_row != 0u) {
        return false;
    }
    const bool outside = state->is_inside == (design->condition == (uint8_t)WG_OUTSIDE);
    switch (design->condition) {
    case WG_ABOVE:
        from = state->is_inside ? design->high - slack + 1 : from;
        to = state->is_inside ? to : design->high;
        break;
    case WG_BELOW:
        from = state->is_inside ? from : design->low;
        to = state->is_inside ? design->low + slack - 1 : to;
        break;
    default:
        if (!outside) {
            from = design->low - slack;
            to = design->high + slack;
        } else if (value - design->target < design->low + slack) {
            to = design->low + slack - 1;
        } else {
            from = design->high - slack + 1;
        }
        break;
    }
    *least = from > *least - design->target ? from + design->target : *least;
    *most = to < *most - design->target ? to + design->target : *most;
    return true;
}

wg_calm wg_threshold_calm(uint32_t filter, bool is_filtered, int64_t value, bool is_signed)
{
    int64_t least = is_signed ? INT32_MIN : 0;
    int64_t most = is_signed ? INT32_MAX : (int64_t)UINT32_MAX;
    wg_calm calm = {.is_known = true};
    for (uint32_t n = 0u; calm.is_known && n < wg_threshold_count; n++) {
        const wg_threshold *design = &wg_thresholds[n];
        if (design->filter == filter && design->on_filtered == is_filtered) {
            calm.is_known = design->other == WG_NOTHING && narrow(n, value, &least, &most);
        } else if (design->other == filter && design->other_filtered == is_filtered) {
            calm.is_known = false;
        } else {
            /* it looks at others */
        }
    }
    calm.is_known = calm.is_known && least <= value && value <= most;
    calm.first = (uint32_t)(uint64_t)least;
    calm.span = (uint32_t)(uint64_t)(most - least);
    return calm;
}

/** The other signal's value in this one's codes, rounded to the nearest, halves to the even one. */
static int64_t scaled(const wg_threshold *design, int64_t value)
{
    const int64_t product = value * design->factor;
    int64_t whole = product / design->divisor;
    int64_t rest = product % design->divisor;
    if (rest < 0) {
        rest += design->divisor;
        whole--;
    }
    if (2 * rest > design->divisor || (2 * rest == design->divisor && whole % 2 != 0)) {
        whole++;
    }
    return whole;
}

static uint64_t apart(uint64_t one, uint64_t other)
{
    return one > other ? one - other : other - one;
}

/** Whether the partner after the oldest one belongs to an instant rather than that. */
static bool goes_on(const wg_threshold *design, const watch_state *state, uint64_t ticks)
{
    const uint32_t mask = design->room - 1u;
    if (state->partners < 2u) {
        return false;
    }
    const uint64_t before = design->partners[state->first_partner & mask].ticks;
    const uint64_t after = design->partners[(state->first_partner + 1u) & mask].ticks;
    return after <= ticks || (design->reach_ticks != 0u && apart(after, ticks) < apart(before, ticks));
}

/** Judge the values whose partners are known. */
static void match(uint32_t watch)
{
    const wg_threshold *design = &wg_thresholds[watch];
    watch_state *state = &states[watch];
    const uint32_t mask = design->room - 1u;
    while (state->waiting != 0u && state->partners != 0u) {
        const wg_value mine = design->waiting[state->first_waiting & mask];
        const uint32_t newest = state->first_partner + state->partners - 1u;
        if (design->partners[newest & mask].ticks < mine.ticks) {
            return;
        }
        while (goes_on(design, state, mine.ticks)) {
            state->first_partner++;
            state->partners--;
        }
        const wg_value partner = design->partners[state->first_partner & mask];
        state->first_waiting++;
        state->waiting--;
        if (design->reach_ticks == 0u || apart(partner.ticks, mine.ticks) <= design->reach_ticks) {
            judge(watch, mine.value - scaled(design, partner.value), mine.ticks);
        }
    }
}

static void append(wg_value *ring, uint32_t room, uint32_t *first, uint32_t *count, wg_value value)
{
    ring[(*first + *count) & (room - 1u)] = value;
    if (*count == room) {
        *first += 1u;
    } else {
        *count += 1u;
    }
}

void wg_threshold_feed(uint32_t filter, bool is_filtered, int64_t value, uint64_t ticks)
{
    const wg_value one = {.value = value, .ticks = ticks};
    for (uint32_t n = 0u; n < wg_threshold_count; n++) {
        const wg_threshold *design = &wg_thresholds[n];
        watch_state *state = &states[n];
        if (design->other == WG_NOTHING) {
            if (design->filter == filter && design->on_filtered == is_filtered) {
                judge(n, value - design->target, ticks);
            }
            continue;
        }
        if (design->filter == filter && design->on_filtered == is_filtered) {
            append(design->waiting, design->room, &state->first_waiting, &state->waiting, one);
            match(n);
        } else if (design->other == filter && design->other_filtered == is_filtered) {
            append(design->partners, design->room, &state->first_partner, &state->partners, one);
            match(n);
        } else {
            /* it looks at others */
        }
    }
}

void wg_threshold_work(void)
{
    uint64_t wake = 0u;
    send_events();
    for (uint32_t n = 0u; n < wg_threshold_count; n++) {
        const wg_threshold *design = &wg_thresholds[n];
        watch_state *state = &states[n];
        if (state->wants_stop) {
            state->wants_stop = false;
            state->is_inside = false;
            state->in_a_row = 0u;
            state->is_stopped = design->again;
            state->since = wg_port_now();
            wg_control_halt(design->stops);
        }
        if (state->is_stopped) {
            const uint64_t waited = wg_port_now() - state->since;
            if (waited >= design->rearm_ticks) {
                state->is_stopped = false;
                wg_control_resume(design->stops);
            } else {
                const uint64_t rest = design->rearm_ticks - waited;
                wake = wake == 0u || rest < wake ? rest : wake;
            }
        }
    }
    wg_clock_wake(WG_WAKE_THRESHOLD, wake);
}
