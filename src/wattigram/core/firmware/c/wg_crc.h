/**
 * @file wg_crc.h
 * The check of a frame's payload.
 */
#ifndef WG_CRC_H
#define WG_CRC_H

#include <stdint.h>

/** CRC-32, reflected, polynomial 0x04c11db7, begun and ended with all ones (ISO 3309). */
uint32_t wg_crc32(const void *bytes, uint32_t count);

#endif
