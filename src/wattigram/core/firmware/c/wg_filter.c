/**
 * @file wg_filter.c
 * Filter stages in integers, value by value. A register keeps as many bits as it has.
 */
#include "wg_filter.h"

#include <stddef.h>

#include "wg_design.h"
#include "wg_link.h"
#include "wg_threshold.h"

/** Samples that are taken together: as many as stay on the stack without harm. */
#define STRETCH 16u

typedef struct {
    uint32_t sum;           /* modulo 2^32, of which the register has its part */
    int64_t signed_sum;     /* of a low-pass of values with a sign */
    uint32_t filled;
    uint32_t filtered;
    uint64_t first_ticks;
    uint64_t items;
    bool has_begun;
    bool has_sample;
    bool has_filtered;
    uint32_t newest_sample;
    uint32_t newest_filtered;
    wg_calm calm_raw;       /* values that leave the thresholds as they are, during one call of wg_filter_feed */
    wg_calm calm_filtered;
} tap_state;

/** One call of wg_filter_feed. */
typedef struct {
    uint32_t filter;
    const wg_filter *design;
    tap_state *state;
    const wg_slot_samples *items;
} feeding;

static tap_state states[WG_TAPS_OR_ONE];

void wg_filter_begin(void)
{
    for (uint32_t n = 0u; n < wg_filter_count; n++) {
        states[n] = (tap_state){0};
        for (uint32_t at = 0u; wg_filters[n].newest != NULL && at < wg_filters[n].count; at++) {
            wg_filters[n].newest[at] = 0u;
        }
    }
}

/** The lowest bits, the uppermost of which is their sign, as all 32 bits. */
static uint32_t with_sign(uint32_t value, uint32_t sign)
{
    return ((value & ((sign << 1) - 1u)) ^ sign) - sign;
}

/** A value of 32 bits, of a signal with a sign or without. */
static int64_t widened(const wg_filter *design, uint32_t code)
{
    return design->signed_bits != 0u ? (int64_t)(code ^ 0x80000000u) - (int64_t)0x80000000 : (int64_t)code;
}

/** Arithmetic shift to the right, rounded down. */
static int64_t down(int64_t value, uint32_t places)
{
    return value >= 0 ? (int64_t)((uint64_t)value >> places) : -(int64_t)((((uint64_t)-value) + ((1u << places) - 1u)) >> places);
}

/** What the register has of a sum, shifted; a sign goes through all 32 bits. */
static uint32_t of_register(const wg_filter *design, uint32_t sum)
{
    if (design->sign == 0u) {
        return (sum & design->mask) >> design->shift;
    }
    const uint32_t value = with_sign(sum, design->sign);
    return (value & 0x80000000u) != 0u ? ~(~value >> design->shift) : value >> design->shift;
}

/** Instant of a sample. */
static uint64_t ticks_of(const wg_slot_samples *items, uint32_t number)
{
    if (items->stamps != NULL) {
        return items->ticks - (uint32_t)((uint32_t)items->ticks - items->stamps[number * items->stride]);
    }
    return items->ticks + (uint64_t)number * items->cycle_ticks;
}

static uint32_t item_of(const wg_slot_samples *items, uint32_t number)
{
    const uint32_t place = number * items->stride;
    if (items->item_bytes == 2u) {
        return ((const uint16_t *)items->items)[place];
    }
    return items->item_bytes == 1u ? ((const uint8_t *)items->items)[place] : ((const uint32_t *)items->items)[place];
}

/** Samples from a number on as values of 32 bits. */
static void load(const feeding *now, uint32_t first, uint32_t count, uint32_t *codes)
{
    const uint32_t stride = now->items->stride;
    if (now->items->item_bytes == 2u) {
        const uint16_t *at = (const uint16_t *)now->items->items + first * stride;
        for (uint32_t n = 0u; n < count; n++) {
            codes[n] = *at;
            at += stride;
        }
    } else {
        for (uint32_t n = 0u; n < count; n++) {
            codes[n] = item_of(now->items, first + n);
        }
    }
    if (now->design->signed_bits != 0u) {
        const uint32_t sign = 1u << (now->design->signed_bits - 1u);
        for (uint32_t n = 0u; n < count; n++) {
            codes[n] = with_sign(codes[n], sign);
        }
    }
}

/** Show values to the thresholds, but for those that leave all of them as they are. */
static void judge(const feeding *now, bool is_filtered, uint32_t first, uint32_t count, const uint32_t *codes)
{
    wg_calm calm = is_filtered ? now->state->calm_filtered : now->state->calm_raw;
    for (uint32_t n = 0u; n < count; n++) {
        if (calm.is_known && codes[n] - calm.first <= calm.span) {
            continue;
        }
        const int64_t number = widened(now->design, codes[n]);
        wg_threshold_feed(now->filter, is_filtered, number, ticks_of(now->items, first + n));
        calm = wg_threshold_calm(now->filter, is_filtered, number, now->design->signed_bits != 0u);
    }
    if (is_filtered) {
        now->state->calm_filtered = calm;
    } else {
        now->state->calm_raw = calm;
    }
}

/** Filtered values, held at the instants of the samples from a number on. */
static void give(const feeding *now, uint32_t first, uint32_t count, const uint32_t *codes)
{
    tap_state *state = now->state;
    if (state->filtered == 0u) {
        state->first_ticks = ticks_of(now->items, first);
    }
    if (now->design->filtered != NULL) {
        uint32_t *kept = &now->design->filtered[state->filtered];
        for (uint32_t n = 0u; n < count; n++) {
            kept[n] = codes[n];
        }
    }
    state->filtered += count;
    state->newest_filtered = codes[count - 1u];
    state->has_filtered = true;
    if (now->design->judges_filtered) {
        judge(now, true, first, count, codes);
    }
}

static void add_up(const feeding *now, uint32_t first, uint32_t count, const uint32_t *codes)
{
    tap_state *state = now->state;
    for (uint32_t n = 0u; n < count; n++) {
        state->sum += codes[n];
        state->filled++;
        if (state->filled == now->design->count) {
            const uint32_t code = of_register(now->design, state->sum);
            give(now, first + n, 1u, &code);
            state->sum = 0u;
            state->filled = 0u;
        }
    }
}

/** Each value becomes the mean of the newest. */
static void run_along(const feeding *now, uint32_t count, uint32_t *codes)
{
    const uint32_t last = now->design->count - 1u;
    uint32_t *newest = now->design->newest;
    uint32_t sum = now->state->sum;
    uint32_t at = now->state->filled;
    for (uint32_t n = 0u; n < count; n++) {
        sum += codes[n] - newest[at];
        newest[at] = codes[n];
        at = at < last ? at + 1u : 0u;
        codes[n] = of_register(now->design, sum);
    }
    now->state->sum = sum;
    now->state->filled = at;
}

/** Each value becomes what a low-pass makes of it. */
static void pass_low(const feeding *now, uint32_t count, uint32_t *codes)
{
    const uint32_t shift = now->design->shift;
    const uint32_t mask = now->design->mask;
    uint32_t sum = now->state->sum;
    for (uint32_t n = 0u; n < count; n++) {
        sum = (now->state->has_begun ? sum + codes[n] - (sum >> shift) : codes[n] << shift) & mask;
        now->state->has_begun = true;
        codes[n] = sum >> shift;
    }
    now->state->sum = sum;
}

/** The same of values with a sign, whose fraction may need more than 32 bits. */
static void pass_low_signed(const feeding *now, uint32_t count, uint32_t *codes)
{
    const uint32_t shift = now->design->shift;
    tap_state *state = now->state;
    for (uint32_t n = 0u; n < count; n++) {
        const int64_t value = widened(now->design, codes[n]);
        if (state->has_begun) {
            state->signed_sum += value - down(state->signed_sum, shift);
        } else {
            state->signed_sum = value * ((int64_t)1 << shift);
            state->has_begun = true;
        }
        codes[n] = (uint32_t)(uint64_t)down(state->signed_sum, shift);
    }
}

/** Sum of samples that follow each other, modulo 2^32. */
static uint32_t sum_of(const wg_slot_samples *items, uint32_t first, uint32_t count)
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

/** Sums of samples without a sign that nobody judges one by one. */
static void feed_blocks(const feeding *now)
{
    const wg_filter *design = now->design;
    const wg_slot_samples *items = now->items;
    tap_state *state = now->state;
    uint32_t done = 0u;
    while (done < items->count) {
        const uint32_t wanted = design->count - state->filled;
        const uint32_t count = wanted < items->count - done ? wanted : items->count - done;
        state->sum += sum_of(items, done, count);
        state->filled += count;
        done += count;
        if (state->filled == design->count) {
            const uint32_t code = of_register(design, state->sum);
            give(now, done - 1u, 1u, &code);
            state->sum = 0u;
            state->filled = 0u;
        }
    }
}

void wg_filter_feed(uint32_t filter, const wg_slot_samples *items)
{
    const wg_filter *design = &wg_filters[filter];
    const feeding now = {.filter = filter, .design = design, .state = &states[filter], .items = items};
    uint32_t codes[STRETCH];
    uint32_t count;
    now.state->calm_raw.is_known = false;
    now.state->calm_filtered.is_known = false;
    if (design->keeps && items->count != 0u) {
        load(&now, items->count - 1u, 1u, &now.state->newest_sample);
        now.state->has_sample = true;
    }
    if (design->stage == (uint8_t)WG_UNFILTERED && !design->judges_raw) {
        return;
    }
    if (design->stage == (uint8_t)WG_BLOCK_AVERAGE && !design->judges_raw && design->signed_bits == 0u) {
        feed_blocks(&now);
        return;
    }
    for (uint32_t first = 0u; first < items->count; first += count) {
        count = items->count - first < STRETCH ? items->count - first : STRETCH;
        load(&now, first, count, codes);
        if (design->judges_raw) {
            judge(&now, false, first, count, codes);
        }
        if (design->stage == (uint8_t)WG_BLOCK_AVERAGE) {
            add_up(&now, first, count, codes);
        } else if (design->stage != (uint8_t)WG_UNFILTERED) {
            if (design->stage == (uint8_t)WG_MOVING_AVERAGE) {
                run_along(&now, count, codes);
            } else if (design->signed_bits == 0u) {
                pass_low(&now, count, codes);
            } else {
                pass_low_signed(&now, count, codes);
            }
            give(&now, first, count, codes);
        } else {
            /* it is only judged */
        }
    }
}

void wg_filter_send(uint32_t filter, bool is_tail)
{
    tap_state *state = &states[filter];
    if (state->filtered == 0u) {
        return;
    }
    if (wg_filters[filter].stream != 0u) {
        const uint32_t flags = (is_tail ? (uint32_t)WG_FLAG_TAIL : 0u) | (state->items == 0u ? (uint32_t)WG_FLAG_FIRST : 0u);
        const wg_frame frame = {
            .kind = WG_SAMPLES, .stream = wg_filters[filter].stream, .item_bytes = 4u, .flags = (uint8_t)flags,
            .count = state->filtered, .ticks = state->first_ticks, .first = state->items,
        };
        wg_link_send(&frame, wg_filters[filter].filtered);
        state->items += state->filtered;
    }
    state->filtered = 0u;
}

bool wg_filter_newest(uint32_t filter, bool is_filtered, int32_t *value)
{
    const tap_state *state = &states[filter];
    const int64_t number = widened(&wg_filters[filter], is_filtered ? state->newest_filtered : state->newest_sample);
    *value = number > INT32_MAX ? INT32_MAX : (int32_t)number;
    return is_filtered ? state->has_filtered : state->has_sample;
}

uint64_t wg_filter_samples(uint32_t filter)
{
    return states[filter].items;
}
