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

/** Results of a chain were fetched; their signals have their newest values. Context: main loop. */
void wg_program_results(uint32_t chain);

/** The condition of an event began to hold, or ceased to; it is acted upon later. Context: interrupts held back. */
void wg_program_note(uint32_t number, bool holds);

/** Act upon the events that were noted. Context: main loop. */
void wg_program_act(void);

/** Do what is due. Context: main loop. */
void wg_program_work(void);

#endif
