/**
 * @file wg_filter.h
 * What is done with the samples of one signal: sums, means, low-passes, and what is judged.
 */
#ifndef WG_FILTER_H
#define WG_FILTER_H

#include <stdbool.h>
#include <stdint.h>

/** A slot whose samples nobody works on. */
#define WG_NO_FILTER 0xffu

/** What is done with the samples of one signal. */
typedef struct {
    uint8_t stream;                 /**< of its filtered values; 0 where they are not sent */
    uint8_t stage;                  /**< one of WG_UNFILTERED, WG_BLOCK_AVERAGE, WG_MOVING_AVERAGE, WG_LOW_PASS */
    uint8_t signed_bits;            /**< of a sample with a sign; 0 for one without */
    uint8_t shift;
    bool judges_raw;                /**< a threshold looks at its samples */
    bool judges_filtered;            /**< a threshold looks at its filtered values */
    bool keeps;                     /**< the program uses its newest values */
    uint32_t count;
    uint32_t mask;                  /**< bits that the register has */
    uint32_t sign;                  /**< the register's sign bit; 0 where it has none */
    uint32_t *newest;               /**< of a moving average: the values in it */
    uint32_t *filtered;              /**< filtered values of one half */
} wg_filter;

/** What becomes of a signal's values. */
enum { WG_UNFILTERED, WG_BLOCK_AVERAGE, WG_MOVING_AVERAGE, WG_LOW_PASS };

extern const wg_filter wg_filters[];
extern const uint32_t wg_filter_count;

/** Forget all values. Context: main loop, nothing runs. */
void wg_filter_begin(void);

/** Samples of one slot, as they lie in memory one scan after the other. Ticks count from the start. */
typedef struct {
    const void *items;
    const uint32_t *stamps;         /**< instants of samples, modulo 2^32; NULL where they follow from numbers */
    uint32_t item_bytes;
    uint32_t stride;                /**< from sample to sample, in places of the buffer */
    uint32_t count;
    uint64_t ticks;                 /**< instant of the first sample; with stamps, of something later than all */
    uint32_t cycle_ticks;           /**< from sample to sample */
} wg_slot_samples;

/** Take samples. Context: main loop. */
void wg_filter_feed(uint32_t filter, const wg_slot_samples *items);

/** Send the filtered values that came since the last call. Context: main loop. */
void wg_filter_send(uint32_t filter, bool is_tail);

/** The newest sample, or value of the filter; false where there is none yet. Context: main loop. */
bool wg_filter_newest(uint32_t filter, bool is_filtered, int32_t *value);

/** Filtered values sent since the start. */
uint64_t wg_filter_samples(uint32_t filter);

#endif
