/**
 * @file wg_chain.h
 * Samples of a chain on their way from the converter to the host: its buffer in memory, its halves, their numbers.
 */
#ifndef WG_CHAIN_H
#define WG_CHAIN_H

#include <stdbool.h>
#include <stdint.h>

/** A chain, as it was designed. Ticks are of the board's clock. */
typedef struct {
    uint8_t stream;
    uint8_t slots;
    uint8_t store_bytes;            /**< of a sample as DMA or the ISR writes it */
    uint8_t item_bytes;             /**< of a sample as it is read */
    bool by_dma;                    /**< the hardware fills its buffer */
    bool is_single_run;             /**< it ends when its buffer has been filled once */
    bool swap;                      /**< a sample's bytes are exchanged before it is used */
    uint32_t samples;               /**< of the buffer */
    uint32_t cycle_ticks;           /**< from scan to scan */
    void *buffer;                   /**< where samples lie */
    uint32_t *stamps;               /**< end of each sample's conversion; NULL where instants follow from numbers */
    const uint32_t *end_ticks;      /**< of each slot: from the scan's start until its result is there */
    const uint32_t *held_ticks;     /**< of each slot: from the scan's start until its voltage is held */
    const uint8_t *filters;         /**< of each slot: who works on its samples, or WG_NO_FILTER */
    const int8_t *lifts;            /**< of each slot: places by which wg_chain_lift() moves up; NULL where nothing does */
} wg_chain;

extern const wg_chain wg_chains[];
extern const uint32_t wg_chain_count;

/** Forget all samples. Context: main loop, nothing runs. */
void wg_chain_begin(void);

/**
 * A half of a buffer that DMA fills is complete. Context: interrupt.
 * @param full   it is the second half
 * @param tally  results so far
 * @param ready  when the last of them was ready, or was noticed where the converter does not say
 */
void wg_chain_mark(uint32_t chain, bool full, uint32_t tally, uint64_t ready);

/** The next result of a chain as it lies in its sample: moved up by as many places as its slot wants. Context: interrupt. */
uint32_t wg_chain_lift(uint32_t chain, uint32_t result);

/** Put a result into the buffer of a chain that the program fills. `end` is when it was ready. Context: interrupt. */
void wg_chain_put(uint32_t chain, uint32_t result, uint64_t end);

/** Whether all results of what the program last started have come; it is about to start as many again. Context: main loop. */
bool wg_chain_is_through(uint32_t chain, uint32_t made, uint32_t count);

/** A scan has been started by the program: so many results are worth waiting for. Context: main loop. */
void wg_chain_expect(uint32_t chain, uint32_t count);

/** Whether the program waits for a result of what it has started. Context: main loop. */
bool wg_chain_expects(uint32_t chain);

/** The next `count` results come later than anybody waits for them: they are dropped when they come. */
void wg_chain_give_up(uint32_t chain, uint32_t count);

/** Whether a result is still to come that was given up. */
bool wg_chain_is_late(uint32_t chain);

/** Results up to the number `tally` that were lost before they could be read out are passed over. Context: interrupt. */
void wg_chain_skip(uint32_t chain, uint32_t tally);

/** Number of the sample that is put next, its lower half. Context: ISR or main loop. */
uint32_t wg_chain_next(uint32_t chain);

/** The lower half of the converter's own count of results that goes with that. Context: ISR or main loop. */
uint32_t wg_chain_tally(uint32_t chain);

/** A single run that is over begins once more, with the result after the count `tally`. Context: main loop, the converter is off. */
void wg_chain_rearm(uint32_t chain, uint32_t tally);

/**
 * Samples that DMA has moved so far, modulo 2^32, told from its place in a buffer of so many samples; a whole round
 * between two calls is not seen. Context: anywhere.
 */
uint32_t wg_chain_moved(uint32_t chain, uint32_t place, uint32_t samples);

/** Results of a converter so far; `tally` is their lower half. Context: main loop. */
uint64_t wg_chain_made(uint32_t chain, uint32_t tally);

/** Where the newest result of a slot lies in `samples` that DMA keeps fresh, when so many were made. */
uint32_t wg_chain_fresh(uint32_t chain, uint64_t made, uint32_t slot, uint32_t samples);

/** Ticks from when the newest result of a slot was ready until the newest of all was; scans are even. */
uint64_t wg_chain_age(uint32_t chain, uint64_t made, uint32_t slot);

/** What is left of a half when the board is stopped; `place` is how far DMA has come, if it fills the buffer. Context: main loop. */
void wg_chain_tail(uint32_t chain, uint32_t place);

/** Whether a single run is over: its buffer is full, or what is left of it was lost. */
bool wg_chain_is_full(uint32_t chain);

/** Send what is complete, judge it, and call the hooks. Context: main loop. */
void wg_chain_work(void);

/** Whether halves wait to be sent. Context: main loop. */
bool wg_chain_waits(void);

/** Samples handed over since the start, those lost before them counted. */
uint64_t wg_chain_samples(uint32_t chain);

/** Samples that were overwritten before the main loop came to them, or that were given up. */
uint32_t wg_chain_overruns(uint32_t chain);

#endif
