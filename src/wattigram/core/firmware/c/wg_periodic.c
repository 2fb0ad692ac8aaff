/**
 * @file wg_periodic.c
 * What the program does every so often.
 */
#include "wg_periodic.h"

#include "wg_clock.h"
#include "wg_control.h"
#include "wg_design.h"
#include "wg_port.h"

#define LINE_BYTES 80u

typedef struct {
    uint64_t due;
    uint32_t place;
} ramp_state;

typedef struct {
    uint64_t due;
    uint32_t length;
    uint32_t sent;
    uint8_t line[LINE_BYTES];
} report_state;

static ramp_state ramps[WG_RAMPS_OR_ONE];
static report_state reports[WG_REPORTS_OR_ONE];

void wg_periodic_begin(void)
{
    for (uint32_t n = 0u; n < wg_ramp_count; n++) {
        ramps[n].due = wg_clock_epoch() + wg_ramps[n].begin_ticks;
        ramps[n].place = 0u;
    }
    for (uint32_t n = 0u; n < wg_report_count; n++) {
        reports[n].due = wg_clock_epoch();
        reports[n].length = 0u;
        reports[n].sent = 0u;
    }
}

static void step(uint32_t n, uint64_t now)
{
    const wg_ramp *design = &wg_ramps[n];
    while (ramps[n].due <= now && ramps[n].place < design->count) {
        wg_put_code(design->dac, design->codes[ramps[n].place]);
        ramps[n].place++;
        ramps[n].due += design->dwell_ticks;
        if (ramps[n].place == design->count && design->again) {
            ramps[n].place = 0u;
        }
    }
}

static void add(report_state *state, char character)
{
    if (state->length < LINE_BYTES) {
        state->line[state->length++] = (uint8_t)character;
    }
}

/** A line such as "wheel 1.2345 V". */
static void compose(const wg_report *design, report_state *state, uint32_t code)
{
    const int64_t product = (int64_t)code * design->factor;
    uint64_t tenths = (uint64_t)((2 * product + design->divisor) / (2 * design->divisor));
    char digits[24];
    uint32_t count = 0u;
    for (const char *at = design->label; *at != '\0'; at++) {
        add(state, *at);
    }
    add(state, ' ');
    while (tenths != 0u || count < 5u) {
        digits[count++] = (char)('0' + (char)(tenths % 10u));
        tenths /= 10u;
    }
    while (count != 0u) {
        count--;
        add(state, digits[count]);
        if (count == 4u) {
            add(state, '.');
        }
    }
    add(state, ' ');
    add(state, 'V');
    add(state, '\r');
    add(state, '\n');
}

static void report(uint32_t n, uint64_t now)
{
    const wg_report *design = &wg_reports[n];
    report_state *state = &reports[n];
    uint32_t code = 0u;
    while (state->sent < state->length && wg_uart_has_room(design->uart)) {
        wg_uart_put(design->uart, state->line[state->sent]);
        state->sent++;
    }
    if (state->sent < state->length || state->due > now) {
        return;
    }
    state->due += design->every_ticks;
    if (!wg_newest(design->source, &code)) {
        return;
    }
    state->sent = 0u;
    state->length = 0u;
    if (design->bits == 0u) {
        compose(design, state, code);
    } else {
        add(state, (char)(code >> (design->bits > 8u ? design->bits - 8u : 0u)));
    }
    while (state->sent < state->length && wg_uart_has_room(design->uart)) {
        wg_uart_put(design->uart, state->line[state->sent]);
        state->sent++;
    }
}

void wg_periodic_work(void)
{
    uint64_t first = 0u;
    if (wg_ramp_count + wg_report_count == 0u) {
        return;
    }
    const uint64_t now = wg_port_now();
    for (uint32_t n = 0u; n < wg_ramp_count; n++) {
        step(n, now);
        if (ramps[n].place < wg_ramps[n].count && (first == 0u || ramps[n].due < first)) {
            first = ramps[n].due;
        }
    }
    for (uint32_t n = 0u; n < wg_report_count; n++) {
        report(n, now);
        const bool is_sending = reports[n].sent < reports[n].length;
        const uint64_t due = is_sending ? now + WG_UART_BYTE_TICKS : reports[n].due;
        if (first == 0u || due < first) {
            first = due;
        }
    }
    wg_clock_wake(WG_WAKE_PERIODIC, first > now ? first - now : first == 0u ? 0u : 1u);
}
