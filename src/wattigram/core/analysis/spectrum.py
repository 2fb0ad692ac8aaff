"""Lines in a spectrum."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def line_share(
    values: NDArray[np.float64], rate_hz: float, frequency_hz: float, width_hz: float = 1.0
) -> float:
    """Share of the power of ``values``, (n,) float64, that lies within ``width_hz`` of a frequency.

    The mean is taken out first and a Hann window applied; the width is at least three bins either
    way.
    """
    count = len(values)
    if count < 16:
        return 0.0
    power = np.square(np.abs(np.fft.rfft((values - values.mean()) * np.hanning(count))))
    bin_hz = rate_hz / count
    reach = max(width_hz, 3 * bin_hz)
    frequencies = np.arange(len(power)) * bin_hz
    total = float(power[1:].sum())
    return (
        float(power[np.abs(frequencies - frequency_hz) <= reach].sum()) / total
        if total > 0
        else 0.0
    )
