/**
 * @file wg_samples.h
 * Samples that can be looked at where they lie.
 */
#ifndef WG_SAMPLES_H
#define WG_SAMPLES_H

#include <stdint.h>

/** Samples that can be looked at, best by wg_sample(); they stay until the next half is full. */
typedef struct {
    const void *items;              /**< the first of them */
    uint32_t item_bytes;
    uint32_t stride;                /**< places from one to the next: other signals lie between */
    uint32_t count;                 /**< of them, without those between */
    uint64_t first;                 /**< number of the first sample of the half since the start */
    uint64_t ticks;                 /**< start of the scan of the half's first sample */
} wg_samples;

/** Item `number` of them, from 0 to `count` less one, as it lies in memory. */
static inline uint32_t wg_sample(const wg_samples *samples, uint32_t number)
{
    const uint8_t *at = (const uint8_t *)samples->items + number * samples->stride * samples->item_bytes;
    uint32_t item = at[0];
    for (uint32_t byte = 1u; byte < samples->item_bytes; byte++) {
        item |= (uint32_t)at[byte] << (8u * byte);
    }
    return item;
}

#endif
