#include "wg_hooks.h"
#include "wg_registers.h"
volatile uint16_t newest_duty;
void wg_samples_feed_lever(const wg_samples *samples)
{
    const uint32_t code = wg_sample(samples, samples->count - 1u);
    newest_duty = (uint16_t)code;
    TIMER_PART = (uint16_t)(COUNT_PART_COUNTS(code));
}
