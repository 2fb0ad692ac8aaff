/**
 * @file wg_main.h
 * The main loop: commands from the host, and everything else that is to be done.
 */
#ifndef WG_MAIN_H
#define WG_MAIN_H

#include <stdbool.h>
#include <stdint.h>

/** Obey commands, do all that is to be done now, then sleep. Call it for ever. Context: main loop. */
void wg_main_step(void);

#endif
