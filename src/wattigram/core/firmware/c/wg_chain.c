/**
 * @file wg_chain.c
 * ISRs only note which half is complete; the main loop sends it straight from memory.
 */
#include "wg_chain.h"

#include <stddef.h>

#include "wg_clock.h"
#include "wg_design.h"
#include "wg_filter.h"
#include "wg_hooks.h"
#include "wg_link.h"
#include "wg_port.h"
#include "wg_program.h"
#include "wg_threshold.h"

#define STAMP_STREAM 64u

/** A stretch of a buffer that waits to be sent. */
typedef struct {
    volatile bool waits;
    bool is_tail;
    uint32_t begin;
    uint32_t count;
    uint64_t first;
    uint64_t mark;
} part;

typedef struct {
    uint64_t next;
    uint64_t made;          /* results of the converter, where the program reads the newest of them */
    uint64_t mark;          /* when the newest sample that was handed over, or put there, was ready */
    uint64_t begun;         /* number of the first sample of this run */
    uint32_t base;          /* the converter's count of results, less the number of the sample */
    uint32_t moved;         /* samples that DMA has moved, where the converter does not count */
    uint32_t moved_place;
    uint32_t place;
    uint32_t done;
    uint32_t overruns;
    uint32_t expected;      /* results still to come of what the program has started */
    uint32_t late;          /* results still to come that nobody waits for any more */
    uint32_t made_at_start; /* results that there were when the program last started it */
    bool is_full;           /* its single run is over */
    bool is_over;           /* its tail has been noted, and what comes now belongs to no run */
    part parts[2];
} chain_state;

static chain_state chain_states[WG_CHAINS_OR_ONE];

void wg_chain_begin(void)
{
    for (uint32_t n = 0u; n < wg_chain_count; n++) {
        chain_states[n] = (chain_state){0};
    }
    wg_filter_begin();
    wg_threshold_begin();
}

/** Note a stretch that is complete; `mark` is when its last sample was ready. */
static void post(uint32_t chain, uint32_t begin, uint32_t count, uint64_t mark, bool is_tail)
{
    const uint32_t before = wg_port_hold();
    chain_state *state = &chain_states[chain];
    state->mark = mark;
    part *one = &state->parts[begin < wg_chains[chain].samples / 2u ? 0 : 1];
    if (one->waits) {
        state->overruns += count;
    } else {
        one->begin = begin;
        one->count = count;
        one->first = state->next - count;
        one->mark = mark;
        one->is_tail = is_tail;
        one->waits = true;
    }
    wg_port_release(before);
}

/** A single run ends with its buffer: what comes now belongs to no run. */
static void end_if_full(uint32_t chain)
{
    chain_state *state = &chain_states[chain];
    if (wg_chains[chain].is_single_run && state->next - state->begun >= wg_chains[chain].samples) {
        state->is_full = true;
        state->is_over = true;
    }
}

/** The part of a chain that has waited longest; NULL for none. */
static part *oldest(chain_state *state)
{
    part *found = NULL;
    const uint32_t before = wg_port_hold();
    for (uint32_t n = 0u; n < 2u; n++) {
        part *one = &state->parts[n];
        if (one->waits && (found == NULL || one->first < found->first)) {
            found = one;
        }
    }
    wg_port_release(before);
    return found;
}

bool wg_chain_waits(void)
{
    for (uint32_t chain = 0u; chain < wg_chain_count; chain++) {
        if (oldest(&chain_states[chain]) != NULL) {
            return true;
        }
    }
    return false;
}

/** Ticks from when one sample of a chain that a timer starts was ready until a later one was; numbers count from the start. */
static uint64_t ticks_between(const wg_chain *design, uint64_t number, uint64_t later)
{
    const uint32_t slots = design->slots;
    return (later / slots - number / slots) * design->cycle_ticks
         + design->end_ticks[later % slots] - design->end_ticks[number % slots];
}

uint64_t wg_chain_made(uint32_t chain, uint32_t tally)
{
    chain_state *state = &chain_states[chain];
    state->made += (uint32_t)(tally - (uint32_t)state->made);
    return state->made;
}

uint32_t wg_chain_moved(uint32_t chain, uint32_t place, uint32_t samples)
{
    chain_state *state = &chain_states[chain];
    const uint32_t at = place < samples ? place : 0u; /* a single run stays at its end */
    const uint32_t before = wg_port_hold();
    state->moved += at >= state->moved_place ? at - state->moved_place : samples - state->moved_place + at;
    state->moved_place = at;
    const uint32_t moved = state->moved;
    wg_port_release(before);
    return moved;
}

/** Number of the newest result of a slot. */
static uint64_t newest_number(uint32_t chain, uint64_t made, uint32_t slot)
{
    const uint32_t slots = wg_chains[chain].slots;
    return made > slot ? made - 1u - (made - 1u - slot) % slots : 0u;
}

uint32_t wg_chain_fresh(uint32_t chain, uint64_t made, uint32_t slot, uint32_t samples)
{
    return (uint32_t)(newest_number(chain, made, slot) % samples);
}

uint64_t wg_chain_age(uint32_t chain, uint64_t made, uint32_t slot)
{
    return ticks_between(&wg_chains[chain], newest_number(chain, made, slot), made - 1u);
}

void wg_chain_mark(uint32_t chain, bool full, uint32_t tally, uint64_t ready)
{
    const wg_chain *design = &wg_chains[chain];
    chain_state *state = &chain_states[chain];
    const uint32_t half = design->samples / 2u;
    const uint32_t place = full ? 0u : half;
    const uint64_t made = state->next + (uint32_t)(tally - wg_chain_tally(chain));
    /* Some more may have come before the ISR did. */
    const uint32_t beyond = (uint32_t)((made + design->samples - place) % design->samples);
    if (state->is_over || made <= beyond) {
        return; /* no sample lies before this mark: nothing of this run has made it */
    }
    state->next = made - beyond;
    state->done = place;
    if (design->stamps == NULL) {
        ready -= ticks_between(design, state->next - 1u, made - 1u);
    }
    post(chain, full ? half : 0u, full ? design->samples - half : half, ready, false);
    end_if_full(chain);
}

uint32_t wg_chain_lift(uint32_t chain, uint32_t result)
{
    const wg_chain *design = &wg_chains[chain];
    const int32_t lift = design->lifts != NULL ? design->lifts[chain_states[chain].next % design->slots] : 0;
    return lift < 0 ? result >> -lift : result << lift;
}

void wg_chain_put(uint32_t chain, uint32_t result, uint64_t end)
{
    const wg_chain *design = &wg_chains[chain];
    chain_state *state = &chain_states[chain];
    const uint32_t half = design->samples / 2u;
    state->expected -= state->expected != 0u ? 1u : 0u;
    if (state->is_over || wg_clock_is_past_end(end)) {
        return;
    }
    if (state->late != 0u) {
        state->late--;
        state->overruns++;
        wg_chain_skip(chain, wg_chain_tally(chain) + 1u); /* its place is passed over, so that no other takes it */
        return;
    }
    if (design->store_bytes == 1u) {
        ((uint8_t *)design->buffer)[state->place] = (uint8_t)result;
    } else if (design->store_bytes == 2u) {
        ((uint16_t *)design->buffer)[state->place] = (uint16_t)result;
    } else {
        ((uint32_t *)design->buffer)[state->place] = result;
    }
    if (design->stamps != NULL) {
        design->stamps[state->place] = (uint32_t)end;
    }
    state->place++;
    state->next++;
    if (end > state->mark) {
        state->mark = end; /* the newest results of slots may come in any order */
    }
    if (state->place == half || state->place == design->samples) {
        post(chain, state->done, state->place - state->done, state->mark, false);
        if (state->place == design->samples) {
            state->place = 0u;
        }
        state->done = state->place;
    }
    end_if_full(chain);
}

bool wg_chain_is_through(uint32_t chain, uint32_t made, uint32_t count)
{
    chain_state *state = &chain_states[chain];
    if (made - state->made_at_start < count) {
        return false;
    }
    state->made_at_start = made;
    return true;
}

void wg_chain_expect(uint32_t chain, uint32_t count)
{
    chain_states[chain].expected = count;
}

bool wg_chain_expects(uint32_t chain)
{
    return chain_states[chain].expected != 0u;
}

void wg_chain_give_up(uint32_t chain, uint32_t count)
{
    chain_states[chain].late = count;
    chain_states[chain].expected = 0u;
}

bool wg_chain_is_late(uint32_t chain)
{
    return chain_states[chain].late != 0u;
}

void wg_chain_skip(uint32_t chain, uint32_t tally)
{
    chain_state *state = &chain_states[chain];
    const wg_chain *design = &wg_chains[chain];
    const uint32_t lost = tally - wg_chain_tally(chain);
    if (lost == 0u || state->is_over || wg_clock_is_past_end(wg_port_now())) {
        return;
    }
    if (state->place != state->done) {
        post(chain, state->done, state->place - state->done, state->mark, false);
    }
    state->next += lost;
    state->place = (state->place + lost % design->samples) % design->samples;
    state->done = state->place;
    end_if_full(chain);
}

bool wg_chain_is_full(uint32_t chain)
{
    return chain_states[chain].is_full;
}

uint32_t wg_chain_next(uint32_t chain)
{
    return (uint32_t)chain_states[chain].next;
}

uint32_t wg_chain_tally(uint32_t chain)
{
    return (uint32_t)chain_states[chain].next + chain_states[chain].base;
}

void wg_chain_rearm(uint32_t chain, uint32_t tally)
{
    const uint32_t before = wg_port_hold();
    const uint32_t samples = wg_chains[chain].samples;
    chain_state *state = &chain_states[chain];
    if (state->is_full) {
        state->next += (samples - state->next % samples) % samples; /* what was lost at the end has its numbers */
        state->begun = state->next;
        state->base = tally - (uint32_t)state->next;
        state->made_at_start = tally;
        state->place = 0u;
        state->done = 0u;
        state->is_full = false;
        state->is_over = false;
    }
    wg_port_release(before);
}

/** When a sample was ready, told from the newest mark; numbers count from the start. */
static uint64_t ready_ticks(uint32_t chain, uint64_t number)
{
    const wg_chain *design = &wg_chains[chain];
    const chain_state *state = &chain_states[chain];
    if (state->next == 0u) {
        return wg_clock_epoch() + number / design->slots * design->cycle_ticks + design->end_ticks[number % design->slots];
    }
    return state->mark + ticks_between(design, state->next - 1u, number);
}

/** Note what is left of a half; interrupts are held back. */
static void leave_tail(uint32_t chain, uint32_t place)
{
    const wg_chain *design = &wg_chains[chain];
    chain_state *state = &chain_states[chain];
    /* A run of DMA that is over stays at its end, and has left nothing behind. */
    const uint32_t end = design->by_dma ? place % design->samples : state->place;
    if (end <= state->done) {
        return;
    }
    const uint32_t count = end - state->done;
    uint64_t mark = state->mark;
    if (design->by_dma) {
        mark = design->stamps != NULL ? wg_port_now() : ready_ticks(chain, state->next + count - 1u);
        state->next += count;
    }
    post(chain, state->done, count, mark, true);
    state->done = end;
}

void wg_chain_tail(uint32_t chain, uint32_t place)
{
    const uint32_t before = wg_port_hold();
    leave_tail(chain, place);
    chain_states[chain].is_over = true;
    wg_port_release(before);
}

uint64_t wg_chain_samples(uint32_t chain)
{
    const uint32_t before = wg_port_hold();
    const uint64_t items = chain_states[chain].next;
    wg_port_release(before);
    return items;
}

uint32_t wg_chain_overruns(uint32_t chain)
{
    return chain_states[chain].overruns;
}

static uint32_t item_at(const wg_chain *design, uint32_t place)
{
    if (design->item_bytes == 1u) {
        return ((const uint8_t *)design->buffer)[place];
    }
    if (design->item_bytes == 2u) {
        return ((const uint16_t *)design->buffer)[place];
    }
    return ((const uint32_t *)design->buffer)[place];
}

/** The reader wants a sample's bytes the other way round. */
static void swap_samples(const wg_chain *design, uint32_t begin, uint32_t count)
{
    for (uint32_t place = begin; place < begin + count; place++) {
        const uint32_t item = item_at(design, place);
        if (design->item_bytes == 2u) {
            ((uint16_t *)design->buffer)[place] = (uint16_t)(item >> 8 | item << 8);
        } else if (design->item_bytes == 4u) {
            ((uint32_t *)design->buffer)[place] =
                item >> 24 | (item >> 8 & 0xff00u) | (item << 8 & 0xff0000u) | item << 24;
        } else {
            /* one byte has no order */
        }
    }
}

/** Start of the scan that has the first of a part's samples, in ticks after the start. */
static uint64_t cycle_start(const wg_chain *design, const part *one)
{
    const uint32_t first_slot = (uint32_t)(one->first % design->slots);
    const uint32_t last = first_slot + one->count - 1u;
    const uint64_t ago = design->end_ticks[last % design->slots]
                       + (uint64_t)(last / design->slots) * design->cycle_ticks;
    const uint64_t since = one->mark - wg_clock_epoch();
    return since > ago ? since - ago : 0u; /* no scan began before the start, whatever the hardware does */
}

/** Ends of conversions become instants at which voltages were held, in ticks after the start modulo 2^32. */
static void stamp_samples(const wg_chain *design, const part *one)
{
    uint32_t slot = (uint32_t)(one->first % design->slots);
    const uint32_t epoch = (uint32_t)wg_clock_epoch();
    for (uint32_t place = one->begin; place < one->begin + one->count; place++) {
        design->stamps[place] -= epoch + design->end_ticks[slot] - design->held_ticks[slot];
        slot = slot + 1u < design->slots ? slot + 1u : 0u;
    }
}

/** Slots of the same tap before this one. */
static bool is_first_of_filter(const wg_chain *design, uint32_t slot)
{
    for (uint32_t before = 0u; before < slot; before++) {
        if (design->filters[before] == design->filters[slot]) {
            return false;
        }
    }
    return true;
}

/** Whether a tap has more than one slot, so that its samples must be taken one by one. */
static bool is_alone(const wg_chain *design, uint32_t slot)
{
    for (uint32_t other = 0u; other < design->slots; other++) {
        if (other != slot && design->filters[other] == design->filters[slot]) {
            return false;
        }
    }
    return true;
}

/** Samples of a part from a place on, every `stride` places, for a tap. */
static void feed(uint32_t chain, const part *one, uint64_t start, uint32_t offset, uint32_t stride, uint32_t count)
{
    const wg_chain *design = &wg_chains[chain];
    const uint32_t place = one->begin + offset;
    const uint32_t phase = (uint32_t)(one->first % design->slots) + offset;
    wg_slot_samples items = {
        .items = (const uint8_t *)design->buffer + place * design->item_bytes,
        .item_bytes = design->item_bytes,
        .stride = stride,
        .count = count,
        .cycle_ticks = design->cycle_ticks,
        .ticks = start + (uint64_t)(phase / design->slots) * design->cycle_ticks
               + design->held_ticks[phase % design->slots],
    };
    if (design->stamps != NULL) {
        items.stamps = &design->stamps[place];
        items.ticks = one->mark - wg_clock_epoch();
    }
    wg_filter_feed(design->filters[place % design->slots], &items);
}

/** Give the samples of a part to those who work on their signals. */
static void feed_filters(uint32_t chain, const part *one, uint64_t start)
{
    const wg_chain *design = &wg_chains[chain];
    const uint32_t slots = design->slots;
    const uint32_t before = one->begin % slots;
    bool one_by_one = false;
    for (uint32_t slot = 0u; slot < slots; slot++) {
        const uint32_t offset = (slot + slots - before) % slots;
        if (design->filters[slot] == WG_NO_FILTER || offset >= one->count) {
            continue;
        }
        if (is_alone(design, slot)) {
            feed(chain, one, start, offset, slots, (one->count - offset - 1u) / slots + 1u);
        } else {
            one_by_one = true;
        }
    }
    for (uint32_t offset = 0u; one_by_one && offset < one->count; offset++) {
        const uint32_t slot = (before + offset) % slots;
        if (design->filters[slot] != WG_NO_FILTER && !is_alone(design, slot)) {
            feed(chain, one, start, offset, 1u, 1u);
        }
    }
    for (uint32_t slot = 0u; slot < slots; slot++) {
        if (design->filters[slot] != WG_NO_FILTER && is_first_of_filter(design, slot)) {
            wg_filter_send(design->filters[slot], one->is_tail);
        }
    }
}

static void send_part(uint32_t chain, const part *one)
{
    const wg_chain *design = &wg_chains[chain];
    const uint32_t flags = (one->is_tail ? (uint32_t)WG_FLAG_TAIL : 0u) | (one->first == 0u ? (uint32_t)WG_FLAG_FIRST : 0u);
    const uint8_t *items = (const uint8_t *)design->buffer + one->begin * design->item_bytes;
    uint64_t start = cycle_start(design, one);
    wg_frame frame = {.kind = WG_SAMPLES, .flags = (uint8_t)flags, .count = one->count, .first = one->first};

    if (design->swap) {
        swap_samples(design, one->begin, one->count);
    }
    if (design->stamps != NULL) {
        stamp_samples(design, one);
        start = one->mark - wg_clock_epoch();
        start -= (uint32_t)((uint32_t)start - design->stamps[one->begin]);
        frame.stream = (uint8_t)(STAMP_STREAM + design->stream);
        frame.item_bytes = 4u;
        frame.ticks = start;
        wg_link_send(&frame, &design->stamps[one->begin]);
    }
    frame.stream = design->stream;
    frame.item_bytes = design->item_bytes;
    frame.ticks = start;
    wg_link_send(&frame, items);
    feed_filters(chain, one, start);
    wg_program_results(chain, one->begin + one->count >= design->samples);
    wg_program_act();
    const wg_samples view = {
        .items = items, .item_bytes = design->item_bytes, .stride = design->slots, .count = one->count,
        .first = one->first, .ticks = start,
    };
    wg_hooks_call(chain, &view);
}

void wg_chain_work(void)
{
    for (uint32_t chain = 0u; chain < wg_chain_count; chain++) {
        for (part *one = oldest(&chain_states[chain]); one != NULL; one = oldest(&chain_states[chain])) {
            send_part(chain, one);
            one->waits = false;
        }
    }
    wg_program_act();
    wg_threshold_work();
}
