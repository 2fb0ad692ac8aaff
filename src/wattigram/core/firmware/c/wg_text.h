/**
 * @file wg_text.h
 * Text and bytes as they are put together, in integers.
 */
#ifndef WG_TEXT_H
#define WG_TEXT_H

#include <stdint.h>

#include "wg_design.h"

/** Bytes to be sent together; what does not fit is left out. */
typedef struct {
    uint8_t bytes[WG_LONGEST_TEXT];
    uint32_t count;
} wg_text;

/** Add text as it stands. */
void wg_text_put(wg_text *text, const char *more);

/** Add a byte. */
void wg_text_put_byte(wg_text *text, uint8_t byte);

/** Add a number with its sign. */
void wg_text_put_number(wg_text *text, int32_t number);

/** Add a code in hexadecimal. */
void wg_text_put_hex(wg_text *text, uint32_t code);

/** A code times factor over divisor, rounded, halves up. */
int64_t wg_text_scaled(int32_t code, int64_t factor, int64_t divisor);

/** Add a number with so many decimal places, of which it is given in units of the last. */
void wg_text_put_decimal(wg_text *text, int64_t units, uint32_t places);

#endif
