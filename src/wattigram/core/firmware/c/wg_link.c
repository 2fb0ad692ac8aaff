/**
 * @file wg_link.c
 * Frames to the host and lines from it. Numbers go out least significant byte first.
 */
#include "wg_link.h"

#include "wg_clock.h"
#include "wg_crc.h"
#include "wg_port.h"

#define WORDS 9u
#define SYNC 0x5ca74757u
#define HEADER_SEED 0x57474131u
#define HEADER_FACTOR 0x9e3779b1u
#define LINE_BYTES 96u
#define TEXT_BYTES 512u

static uint32_t sequence;
static char line[LINE_BYTES];
static uint32_t line_used;
static bool line_too_long;
static char text[TEXT_BYTES];
static uint32_t text_used;

void wg_link_send(const wg_frame *frame, const void *payload)
{
    uint32_t words[WORDS];
    uint32_t check = HEADER_SEED;
    const uint32_t bytes = frame->count * frame->item_bytes;
    const uint32_t crc = wg_crc32(payload, bytes);

    words[0] = SYNC;
    words[1] = (uint32_t)frame->kind | (uint32_t)frame->stream << 8 | (uint32_t)frame->item_bytes << 16
             | (uint32_t)frame->flags << 24;
    words[2] = sequence++;
    words[3] = frame->count;
    words[4] = (uint32_t)frame->ticks;
    words[5] = (uint32_t)(frame->ticks >> 32);
    words[6] = (uint32_t)frame->first;
    words[7] = (uint32_t)(frame->first >> 32);
    for (uint32_t at = 0u; at < WORDS - 1u; at++) {
        check = (check ^ words[at]) * HEADER_FACTOR;
    }
    words[8] = check;
    wg_port_send(words, (uint32_t)sizeof words);
    wg_port_send(payload, bytes);
    wg_port_send(&crc, (uint32_t)sizeof crc);
}

void wg_link_put(const char *more)
{
    while (*more != '\0' && text_used < TEXT_BYTES) {
        text[text_used++] = *more++;
    }
}

void wg_link_put_number(uint64_t number)
{
    char digits[21];
    uint32_t at = (uint32_t)sizeof digits - 1u;
    digits[at] = '\0';
    do {
        digits[--at] = (char)('0' + (char)(number % 10u));
        number /= 10u;
    } while (number != 0u);
    wg_link_put(&digits[at]);
}

void wg_link_say(uint8_t kind, const char *more)
{
    wg_link_put(more);
    const wg_frame frame = {.kind = kind, .item_bytes = 1u, .count = text_used, .ticks = wg_clock_ticks()};
    wg_link_send(&frame, text);
    text_used = 0u;
}

void wg_link_read(void (*obey)(const char *command))
{
    uint8_t byte;
    while (wg_port_receive(&byte, 1u) != 0u) {
        if (byte == (uint8_t)'\n') {
            line[line_used] = '\0';
            if (line_too_long) {
                wg_link_say(WG_REPLY, "error a command is too long");
            } else {
                obey(line);
            }
            line_used = 0u;
            line_too_long = false;
        } else if (line_used < LINE_BYTES - 1u) {
            line[line_used++] = (char)byte;
        } else {
            line_too_long = true;
        }
    }
}
