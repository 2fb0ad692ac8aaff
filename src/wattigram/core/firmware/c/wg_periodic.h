/**
 * @file wg_periodic.h
 * DACs that software takes from code to code.
 */
#ifndef WG_PERIODIC_H
#define WG_PERIODIC_H

#include <stdbool.h>
#include <stdint.h>

/** A DAC that software takes from code to code. */
typedef struct {
    uint8_t dac;                /**< as wg_put_code() numbers them */
    bool again;                 /**< it begins anew after the last code */
    uint32_t begin_ticks;       /**< from the start to its first code */
    uint32_t dwell_ticks;
    uint32_t count;
    const uint16_t *codes;
} wg_ramp;

extern const wg_ramp wg_ramps[];
extern const uint32_t wg_ramp_count;

/** Begin all ramps. Context: main loop. */
void wg_periodic_begin(void);

/** Do what is due. Context: main loop. */
void wg_periodic_work(void);

#endif
