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

/** Instant of an item. */
static uint64_t ticks_of(const wg_items *items, uint32_t number)
{
    if (items->stamps != NULL) {
        return items->ticks - (uint32_t)((uint32_t)items->ticks - items->stamps[number * items->stride]);
    }
    return items->ticks + (uint64_t)number * items->cycle_ticks;
}

static uint32_t item_of(const wg_items *items, uint32_t number)
{
    const uint32_t place = number * items->stride;
    if (items->item_bytes == 2u) {
        return ((const uint16_t *)items->items)[place];
    }
    return items->item_bytes == 1u ? ((const uint8_t *)items->items)[place] : ((const uint32_t *)items->items)[place];
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
    if (wg_taps[tap].judges_reduced) {
        wg_watch_feed(tap, true, value, ticks);
    }
}

/** One value through the stage. */
static void reduce(uint32_t tap, int64_t value, uint64_t ticks)
{
    const wg_tap *design = &wg_taps[tap];
    tap_state *state = &states[tap];
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

/** Sum of items that follow each other, modulo 2^32. */
static uint32_t sum_of(const wg_items *items, uint32_t first, uint32_t count)
{
    const uint32_t stride = items->stride;
    uint32_t sum = 0u;
    if (items->item_bytes == 2u) {
        const uint16_t *at = (const uint16_t *)items->items + first * stride;
        for (; count != 0u; count--) {
            sum += *at;
            at += stride;
        }
    } else {
        for (uint32_t number = first; number < first + count; number++) {
            sum += item_of(items, number);
        }
    }
    return sum;
}

/** Sums of items without a sign that nobody judges one by one. */
static void feed_blocks(uint32_t tap, const wg_items *items)
{
    const wg_tap *design = &wg_taps[tap];
    tap_state *state = &states[tap];
    uint32_t done = 0u;
    while (done < items->count) {
        const uint32_t wanted = design->count - state->filled;
        const uint32_t count = wanted < items->count - done ? wanted : items->count - done;
        state->sum += sum_of(items, done, count);
        state->filled += count;
        done += count;
        if (state->filled == design->count) {
            give(tap, of_register(design, state->sum), ticks_of(items, done - 1u));
            state->sum = 0;
            state->filled = 0u;
        }
    }
}

void wg_tap_feed(uint32_t tap, const wg_items *items)
{
    const wg_tap *design = &wg_taps[tap];
    if (design->stage == (uint8_t)WG_BLOCK && !design->judges_raw && design->signed_bits == 0u) {
        feed_blocks(tap, items);
        return;
    }
    for (uint32_t number = 0u; number < items->count; number++) {
        const uint32_t item = item_of(items, number);
        const uint64_t ticks = ticks_of(items, number);
        const int64_t value =
            design->signed_bits != 0u ? with_sign(item, 1u << (design->signed_bits - 1u)) : (int64_t)item;
        if (design->judges_raw) {
            wg_watch_feed(tap, false, value, ticks);
        }
        reduce(tap, value, ticks);
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
