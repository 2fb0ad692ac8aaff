/**
 * @file wg_tap.c
 * Reduce stages in integers, value by value. A register keeps as many bits as it has.
 */
#include "wg_tap.h"

#include <stddef.h>

#include "wg_design.h"
#include "wg_link.h"
#include "wg_watch.h"

typedef struct {
    int64_t sum;
    uint32_t filled;
    uint32_t reduced;
    uint64_t first_ticks;
    uint64_t items;
    bool has_begun;
} tap_state;

static tap_state states[WG_TAPS_OR_ONE];

void wg_tap_begin(void)
{
    for (uint32_t n = 0u; n < wg_tap_count; n++) {
        states[n] = (tap_state){0};
        for (uint32_t at = 0u; wg_taps[n].newest != NULL && at < wg_taps[n].count; at++) {
            wg_taps[n].newest[at] = 0;
        }
    }
}

/** Value of the lowest bits, the uppermost of which is its sign. */
static int64_t with_sign(uint64_t value, uint32_t sign)
{
    const uint64_t bits = value & (((uint64_t)sign << 1) - 1u);
    return (int64_t)(bits ^ sign) - (int64_t)sign;
}

/** Arithmetic shift to the right, rounded down. */
static int64_t down(int64_t value, uint32_t places)
{
    return value >= 0 ? (int64_t)((uint64_t)value >> places) : -(int64_t)((((uint64_t)-value) + ((1u << places) - 1u)) >> places);
}

/** What the register has of a sum, shifted. */
static int64_t of_register(const wg_tap *design, int64_t sum)
{
    if (design->sign != 0u) {
        return down(with_sign((uint64_t)sum, design->sign), design->shift);
    }
    return (int64_t)(((uint64_t)sum & design->mask) >> design->shift);
}

static void give(uint32_t tap, int64_t value, uint64_t ticks)
{
    tap_state *state = &states[tap];
    if (state->reduced == 0u) {
        state->first_ticks = ticks;
    }
    if (wg_taps[tap].reduced != NULL) {
        wg_taps[tap].reduced[state->reduced] = (uint32_t)(uint64_t)value;
    }
    state->reduced++;
    wg_watch_feed(tap, true, value, ticks);
}

void wg_tap_feed(uint32_t tap, uint32_t item, uint64_t ticks)
{
    const wg_tap *design = &wg_taps[tap];
    tap_state *state = &states[tap];
    const int64_t value = design->signed_bits != 0u ? with_sign(item, 1u << (design->signed_bits - 1u)) : (int64_t)item;
    wg_watch_feed(tap, false, value, ticks);
    if (design->stage == (uint8_t)WG_BLOCK) {
        state->sum += value;
        state->filled++;
        if (state->filled == design->count) {
            give(tap, of_register(design, state->sum), ticks);
            state->sum = 0;
            state->filled = 0u;
        }
    } else if (design->stage == (uint8_t)WG_RUNNING) {
        state->sum += value - design->newest[state->filled];
        design->newest[state->filled] = value;
        state->filled = state->filled + 1u < design->count ? state->filled + 1u : 0u;
        give(tap, of_register(design, state->sum), ticks);
    } else if (design->stage == (uint8_t)WG_LOW_PASS) {
        if (state->has_begun) {
            state->sum += value - down(state->sum, design->shift);
        } else {
            state->sum = value * ((int64_t)1 << design->shift);
            state->has_begun = true;
        }
        if (design->signed_bits == 0u) {
            state->sum = (int64_t)((uint64_t)state->sum & design->mask);
        }
        give(tap, down(state->sum, design->shift), ticks);
    } else {
        /* it is only judged */
    }
}

void wg_tap_send(uint32_t tap, bool is_tail)
{
    tap_state *state = &states[tap];
    if (state->reduced == 0u) {
        return;
    }
    if (wg_taps[tap].stream != 0u) {
        const uint32_t flags = (is_tail ? (uint32_t)WG_FLAG_TAIL : 0u) | (state->items == 0u ? (uint32_t)WG_FLAG_FIRST : 0u);
        const wg_frame frame = {
            .kind = WG_SAMPLES, .stream = wg_taps[tap].stream, .item_bytes = 4u, .flags = (uint8_t)flags,
            .count = state->reduced, .ticks = state->first_ticks, .first = state->items,
        };
        wg_link_send(&frame, wg_taps[tap].reduced);
        state->items += state->reduced;
    }
    state->reduced = 0u;
}

uint64_t wg_tap_items(uint32_t tap)
{
    return states[tap].items;
}
