/**
 * @file wg_program.h
 * What the program does when something happens; wg_program.c is made from the design's reactions.
 */
#ifndef WG_PROGRAM_H
#define WG_PROGRAM_H

#include <stdbool.h>
#include <stdint.h>

/** Begin, and do what belongs to the start. Context: main loop. */
void wg_program_begin(void);

/** Nothing is done from now on. Context: main loop. */
void wg_program_end(void);

/**
 * Results of a chain were fetched; their signals have their newest values. Context: main loop.
 * @param is_full  with them its buffer is
 */
void wg_program_results(uint32_t chain, bool is_full);

/** Act upon the events that wait for it. Context: main loop. */
void wg_program_act(void);

/** Do what is due. Context: main loop. */
void wg_program_work(void);

#endif
