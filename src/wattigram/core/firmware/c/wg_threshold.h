/**
 * @file wg_threshold.h
 * Thresholds and redundant pairs that the program judges, and events on their way to the host.
 */
#ifndef WG_THRESHOLD_H
#define WG_THRESHOLD_H

#include <stdbool.h>
#include <stdint.h>

/** No other signal, no chain. */
#define WG_NOTHING 0xffu

/** When a threshold's condition holds. */
enum { WG_OUTSIDE, WG_INSIDE, WG_ABOVE, WG_BELOW };

/** A value that waits for its partner. */
typedef struct {
    int64_t value;
    uint64_t ticks;
} wg_value;

/** A comparison, in codes. */
typedef struct {
    uint16_t number;                /**< of its events */
    uint8_t filter;
    bool on_filtered;
    uint8_t other;                  /**< filter whose values are taken away, or WG_NOTHING */
    bool other_filtered;
    uint64_t reach_ticks;           /**< its nearest value counts, if it is no further away; 0: its newest */
    int64_t factor;                 /**< of the other signal's values, ... */
    int64_t divisor;                /**< ... over this */
    int64_t target;                 /**< taken away where there is no other signal */
    int64_t low;
    int64_t high;
    int64_t hysteresis;
    uint8_t condition;              /**< one of WG_OUTSIDE, WG_INSIDE, WG_ABOVE, WG_BELOW */
    uint32_t times;                 /**< values in a row */
    bool every;                     /**< an event for each value, not only for the first */
    bool once;                      /**< not armed again after its first event */
    bool is_armed;
    uint8_t stops;                  /**< chain that an event stops, or WG_NOTHING */
    bool again;                     /**< it is started again ... */
    uint32_t rearm_ticks;           /**< ... after so long */
    uint8_t starts;                 /**< chain that an event starts, or WG_NOTHING */
    wg_value *waiting;              /**< values of the signal that wait; NULL without another signal */
    wg_value *partners;             /**< newest values of the other signal */
    uint32_t room;                  /**< of each of the two, a power of two */
} wg_threshold;

/** One event, as it goes out. */
typedef struct {
    uint16_t window;
    uint8_t entered;
    uint8_t spare;
    int32_t value;
    uint64_t ticks;
} wg_event;

/** Values that leave all thresholds as they are: `first` and the `span` values above it, in 32 bits. */
typedef struct {
    uint32_t first;
    uint32_t span;
    bool is_known;                  /**< there are any */
} wg_calm;

extern const wg_threshold wg_thresholds[];
extern const uint32_t wg_threshold_count;

/** Whether the program acts upon an event, by its number. */
extern const bool wg_acted_upon[];

/** Forget all values and events. Context: main loop, nothing runs. */
void wg_threshold_begin(void);

/** The oldest event that waits to be acted upon, taken away; false for none. Context: main loop. */
bool wg_threshold_next(uint32_t *number, bool *holds);

/** Judge a value of a filter, held at `ticks` after the start. Context: main loop. */
void wg_threshold_feed(uint32_t filter, bool is_filtered, int64_t value, uint64_t ticks);

/**
 * Values near one just judged that need not be judged, until wg_threshold_work() is called.
 * @param is_signed values of the filter have a sign
 */
wg_calm wg_threshold_calm(uint32_t filter, bool is_filtered, int64_t value, bool is_signed);

/** Whether events wait to be sent. Context: main loop. */
bool wg_threshold_waits(void);

/** Tell an event that hardware saw, `ticks` after reset. Context: interrupt. */
void wg_threshold_tell(uint32_t number, bool entered, int32_t value, uint64_t ticks);

/** Send events, and do what they are for. Context: main loop. */
void wg_threshold_work(void);

#endif
