/**
 * @file wg_link.c
 * Frames to the host and commands from it. Numbers go out least significant byte first.
 */
#include "wg_link.h"

#include <stddef.h>

#include "wg_chain.h"
#include "wg_crc.h"
#include "wg_design.h"
#include "wg_port.h"
#include "wg_run.h"
#include "wg_tap.h"

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

static void put_text(const char *more)
{
    while (*more != '\0' && text_used < TEXT_BYTES) {
        text[text_used++] = *more++;
    }
}

static void put_number(uint64_t number)
{
    char digits[21];
    uint32_t at = (uint32_t)sizeof digits - 1u;
    digits[at] = '\0';
    do {
        digits[--at] = (char)('0' + (char)(number % 10u));
        number /= 10u;
    } while (number != 0u);
    put_text(&digits[at]);
}

static void put_count(const char *name, uint32_t stream, uint64_t count)
{
    put_text(" ");
    put_text(name);
    put_text(".");
    put_number(stream);
    put_text("=");
    put_number(count);
}

static void send_text(uint8_t kind)
{
    const wg_frame frame = {.kind = kind, .item_bytes = 1u, .count = text_used, .ticks = wg_run_ticks()};
    wg_link_send(&frame, text);
    text_used = 0u;
}

void wg_link_say(uint8_t kind, const char *more)
{
    put_text(more);
    send_text(kind);
}

static void say_identity(void)
{
    put_text("protocol=2\nboard=" WG_BOARD "\nbuild=" WG_BUILD_MARK "\ntick_hz=");
    put_number(WG_TICK_HZ);
    put_text("\n");
    send_text(WG_IDENTITY);
}

static void say_totals(const char *word)
{
    put_text(word);
    if (wg_run_has_begun()) {
        put_text(" ticks=");
        put_number(wg_run_ticks());
        for (uint32_t chain = 0u; chain < wg_chain_count; chain++) {
            put_count("items", wg_chains[chain].stream, wg_chain_items(chain));
            if (wg_chain_overruns(chain) != 0u) {
                put_count("overruns", wg_chains[chain].stream, wg_chain_overruns(chain));
            }
        }
        for (uint32_t tap = 0u; tap < wg_tap_count; tap++) {
            if (wg_taps[tap].stream != 0u) {
                put_count("items", wg_taps[tap].stream, wg_tap_items(tap));
            }
        }
    }
    send_text(WG_REPLY);
}

/** Whether `at` begins with `word`, followed by a space or the end. */
static bool is_word(const char *at, const char *word)
{
    while (*word != '\0' && *at == *word) {
        at++;
        word++;
    }
    return *word == '\0' && (*at == '\0' || *at == ' ');
}

/** Number behind `name` in the options at `at`; 0 where there is none. */
static uint64_t option(const char *at, const char *name)
{
    for (; *at != '\0'; at++) {
        uint32_t length = 0u;
        while (name[length] != '\0' && at[length] == name[length]) {
            length++;
        }
        if (name[length] == '\0' && at[length] == '=') {
            uint64_t number = 0u;
            for (at += length + 1u; *at >= '0' && *at <= '9'; at++) {
                number = number * 10u + (uint64_t)(*at - '0');
            }
            return number;
        }
    }
    return 0u;
}

static void obey(const char *command)
{
    if (is_word(command, "identify")) {
        say_identity();
    } else if (is_word(command, "start")) {
        uint64_t ticks = option(command, "ticks");
        const uint64_t cycles = option(command, "cycles");
        if (cycles != 0u && wg_chain_count != 0u) {
            ticks = cycles * wg_chains[0].cycle_ticks;
        }
        if (wg_run_is_on()) {
            wg_run_stop();
            say_totals("stopped");
        }
        wg_link_say(WG_LOG, "started build=" WG_BUILD_MARK);
        wg_run_start(ticks);
    } else if (is_word(command, "stop")) {
        wg_run_stop();
        say_totals("stopped");
    } else if (is_word(command, "query")) {
        say_totals(wg_run_is_on() ? "running" : "idle");
    } else if (*command != '\0') {
        put_text("error unknown command \"");
        put_text(command);
        put_text("\"");
        send_text(WG_REPLY);
    } else {
        /* an empty line asks for nothing */
    }
}

void wg_link_obey(void)
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
    if (wg_run_is_over()) {
        wg_run_stop();
        say_totals("stopped");
    }
}
