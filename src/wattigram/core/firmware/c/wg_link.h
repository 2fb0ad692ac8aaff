/**
 * @file wg_link.h
 * Frames to the host and lines from it.
 */
#ifndef WG_LINK_H
#define WG_LINK_H

#include <stdbool.h>
#include <stdint.h>

/** What a frame carries. */
enum { WG_SAMPLES = 1, WG_EVENTS = 2, WG_IDENTITY = 3, WG_LOG = 4, WG_REPLY = 5 };

/** Flags of a frame. */
enum { WG_FLAG_FIRST = 1, WG_FLAG_TAIL = 2 };

/** Header of a frame; its sequence number and check are filled in when it is sent. */
typedef struct {
    uint8_t kind;
    uint8_t stream;
    uint8_t item_bytes;
    uint8_t flags;
    uint32_t count;
    uint64_t ticks;
    uint64_t first;
} wg_frame;

/** Send a frame whose payload lies at `payload`: it goes out straight from there. Context: main loop. */
void wg_link_send(const wg_frame *frame, const void *payload);

/** Add to the text that wg_link_say() sends. Context: main loop. */
void wg_link_put(const char *text);

/** Add a number to it. Context: main loop. */
void wg_link_put_number(uint64_t number);

/** Send the text so far, and this, as a line of kind WG_IDENTITY, WG_LOG or WG_REPLY. Context: main loop. */
void wg_link_say(uint8_t kind, const char *text);

/** Hand each line that came to `obey`. Context: main loop. */
void wg_link_read(void (*obey)(const char *command));

#endif
