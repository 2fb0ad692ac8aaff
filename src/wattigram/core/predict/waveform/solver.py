"""From a wanted frequency to timer and points: every choice with its exact frequency."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache

import msgspec
import numpy as np

from wattigram.core.predict.clocks import solve_timer
from wattigram.core.predict.waveform.spectrum import image_dbc

FEWEST_POINTS = 8
ITEM_BYTES = 2
POWERS = tuple(1 << power for power in range(3, 15))


class WaveChoice(msgspec.Struct, frozen=True):
    """Points in the table and ticks of the update timer.

    Attributes
    ----------
    wave_hz : Fraction
        Exact frequency.
    error : Fraction
        Share by which it is too high; 0 where it is exact.
    """

    points: int
    prescaler: int
    period_counts: int
    update_hz: Fraction
    wave_hz: Fraction
    error: Fraction
    image_dbc: float
    bytes: int

    @property
    def error_ppm(self) -> float:
        """The same in millionths."""
        return float(self.error * 1_000_000)


@lru_cache(maxsize=64)
def wave_choices(
    wanted_hz: Fraction,
    timer_hz: Fraction,
    prescaler_choices: int | tuple[int, ...],
    counter_bits: int,
    fastest_hz: Fraction,
    most_points: int,
    cycles: int = 1,
    most: int = 24,
    also: int = 0,
) -> tuple[WaveChoice, ...]:
    """Choices of timer × points for a wanted frequency, the best first.

    Exact ones come first, those with the most points before the others; then by error, then by
    points.
    An update is never faster than ``fastest_hz``; ``also`` is a number of points that is told of in
    any case.
    """
    total = timer_hz * cycles / wanted_hz
    low = min(max(FEWEST_POINTS, cycles + 1), most_points)
    points = np.arange(low, most_points + 1, dtype=np.int64)
    # Ranked in float64; whatever may be among the best is worked out exactly.
    ticks = np.maximum(1.0, np.rint(float(total) / points))
    highest = prescaler_choices if isinstance(prescaler_choices, int) else max(prescaler_choices)
    fits = (float(timer_hz) / ticks <= float(fastest_hz) * (1 + 1e-12)) & (
        ticks <= highest * 2.0**counter_bits
    )
    error = np.where(fits, np.abs(float(total) / (ticks * points) - 1), np.inf)
    order = np.lexsort((-points, np.where(error < 1e-12, 0.0, error)))[: 4 * most]
    exact = points[(error < 1e-12)]
    wanted = {
        *points[order].tolist(),
        *exact[-4 * most :].tolist(),
        *(one for one in POWERS if low <= one <= most_points),
    }
    wanted |= {also} if also >= 2 else set()
    choices = []
    for count in sorted(wanted):
        setting = solve_timer(
            timer_hz, wanted_hz**-1 * cycles / count, prescaler_choices, counter_bits
        )
        update_hz = timer_hz / setting.ticks
        if update_hz > fastest_hz and count != also:
            continue
        wave_hz = update_hz * cycles / count
        choices.append(
            WaveChoice(
                int(count),
                setting.prescaler,
                setting.period_counts,
                update_hz,
                wave_hz,
                wave_hz / wanted_hz - 1,
                image_dbc(cycles, int(count)),
                int(count) * ITEM_BYTES,
            )
        )
    choices.sort(key=lambda choice: (abs(choice.error), -choice.points))
    kept = choices[:most]
    # Powers of two are what people ask for; they stay in sight with their error.
    kept += [
        choice for choice in choices[most:] if choice.points in POWERS or choice.points == also
    ]
    return tuple(kept)
