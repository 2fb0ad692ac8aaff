/**
 * @file wg_text.c
 * Text and bytes as they are put together.
 */
#include "wg_text.h"

#define DIGITS 20u

void wg_text_put_byte(wg_text *text, uint8_t byte)
{
    if (text->count < WG_LONGEST_TEXT) {
        text->bytes[text->count++] = byte;
    }
}

void wg_text_put(wg_text *text, const char *more)
{
    for (; *more != '\0'; more++) {
        wg_text_put_byte(text, (uint8_t)*more);
    }
}

int64_t wg_text_scaled(int32_t code, int64_t factor, int64_t divisor)
{
    const int64_t twice = 2 * (int64_t)code * factor + divisor;
    const int64_t whole = twice / (2 * divisor);
    return twice % (2 * divisor) < 0 ? whole - 1 : whole;
}

void wg_text_put_decimal(wg_text *text, int64_t units, uint32_t places)
{
    uint64_t rest = units < 0 ? (uint64_t)-units : (uint64_t)units;
    uint8_t digits[DIGITS];
    uint32_t count = 0u;
    if (units < 0) {
        wg_text_put_byte(text, (uint8_t)'-');
    }
    do {
        digits[count++] = (uint8_t)((uint32_t)'0' + (uint32_t)(rest % 10u));
        rest /= 10u;
    } while ((rest != 0u || count <= places) && count < DIGITS);
    while (count != 0u) {
        count--;
        wg_text_put_byte(text, digits[count]);
        if (count == places && count != 0u) {
            wg_text_put_byte(text, (uint8_t)'.');
        }
    }
}

void wg_text_put_number(wg_text *text, int32_t number)
{
    wg_text_put_decimal(text, number, 0u);
}

void wg_text_put_hex(wg_text *text, uint32_t code)
{
    uint32_t shift = 28u;
    wg_text_put(text, "0x");
    while (shift != 0u && (code >> shift) == 0u) {
        shift -= 4u;
    }
    for (;;) {
        const uint32_t digit = (code >> shift) & 0xfu;
        wg_text_put_byte(text, (uint8_t)(digit < 10u ? (uint32_t)'0' + digit : (uint32_t)'A' + digit - 10u));
        if (shift == 0u) {
            return;
        }
        shift -= 4u;
    }
}
