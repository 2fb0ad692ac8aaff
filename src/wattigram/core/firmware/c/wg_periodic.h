/**
 * @file wg_periodic.h
 * What the program does every so often: ramps on a DAC, reports over a UART.
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

/** A signal's newest value that is sent as a line of text, or as one byte. */
typedef struct {
    uint8_t uart;               /**< as wg_uart_put() numbers them */
    uint8_t source;             /**< as wg_newest() numbers them */
    uint8_t bits;               /**< of a value of which the upper eight are sent; 0 for text */
    uint32_t every_ticks;
    int64_t factor;             /**< a code times this, ... */
    int64_t divisor;            /**< ... over this, is tenths of a millivolt */
    const char *label;
} wg_report;

extern const wg_ramp wg_ramps[];
extern const uint32_t wg_ramp_count;
extern const wg_report wg_reports[];
extern const uint32_t wg_report_count;

/** Begin all ramps and reports. Context: main loop. */
void wg_periodic_begin(void);

/** Do what is due. Context: main loop. */
void wg_periodic_work(void);

#endif
