"""Power spectra of evenly sampled streams, averaged over segments (Welch, 1967), with stated windows."""

from __future__ import annotations

import math
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray
from scipy.signal import get_window
from scipy.special import gammaincinv

from wattigram.core.analysis.estimate import Estimate

FloatArray = NDArray[np.float64]
WindowName = Literal["rectangular", "hann", "blackman-harris", "flat-top"]
WINDOWS: dict[str, str] = {
    "rectangular": "boxcar",
    "hann": "hann",
    "blackman-harris": "blackmanharris",
    "flat-top": "flattop",
}
"""Four, as SciPy calls them: side lobes of the third are 92 dB down (Harris, 1978), the top of the last is flat
within 0.01 dB."""
FEWEST = 16
"""Values in a segment."""
FEWEST_BINS = 8
"""Of which a density is told."""


def window_of(name: WindowName, count: int) -> FloatArray:
    """A window, (count,) float64, periodic: its last value is the one before its first."""
    return np.asarray(get_window(WINDOWS[name], count, fftbins=True), dtype=np.float64)


_CHANCE = 1e-5
"""That a bin of noise alone is taken for a line."""


class Spectrum(msgspec.Struct, frozen=True):
    """One-sided.

    Attributes
    ----------
    frequencies_hz, power : (n,) float64
        Mean square of the stream in each bin: of a sine of amplitude A on a bin A²/2, whatever the window.
    window : str
    rate_hz, bin_hz : float
        Of the samples, and between bins.
    noise_bins : float
        Bins that the window takes noise from: its equivalent noise bandwidth.
    shared_bins : float
        As many neighbours stand for one, for the window takes them from the same noise.
    averages : int
        Segments.
    freedom : float
        So many independent ones have the same scatter: each bin is uncertain by 1/√freedom of itself.
    """

    frequencies_hz: FloatArray
    power: FloatArray
    window: str
    rate_hz: float
    bin_hz: float
    noise_bins: float
    shared_bins: float
    averages: int
    freedom: float

    @property
    def noise_bandwidth_hz(self) -> float:
        """Of one bin."""
        return self.bin_hz * self.noise_bins

    @property
    def density(self) -> FloatArray:
        """Noise density, (n,) float64, unit/√Hz."""
        return np.sqrt(self.power / self.noise_bandwidth_hz)

    def decibels(self, full_scale: float) -> FloatArray:
        """Against a sine that spans full scale, (n,) float64; −∞ where nothing is.

        ``full_scale`` is from the lowest to the highest value, in the stream's unit.
        """
        with np.errstate(divide="ignore"):
            return np.asarray(10 * np.log10(self.power / (full_scale**2 / 8)))

    def highest_line(self) -> tuple[Estimate, Estimate]:
        """Frequency and amplitude of the highest line, whatever lies between bins: from all that its lobe holds, less
        the noise beneath."""
        top = 1 + int(np.argmax(self.power[1:]))
        reach = math.ceil(2 * self.noise_bins)
        lobe = slice(max(1, top - reach), top + reach + 1)
        noise = self._level()
        power = np.maximum(self.power[lobe] - noise, 0.0)
        whole = float(power.sum())
        if whole <= 0:
            return Estimate(float(self.frequencies_hz[top]), self.bin_hz), Estimate(0.0, 0.0)
        centre = float((power * self.frequencies_hz[lobe]).sum()) / whole
        mean_square = whole / self.noise_bins
        freedom = max(1.0, self.freedom)
        # Noise in step with the line changes it by twice the root of their product.
        sigma = 2 * math.sqrt(mean_square * noise / freedom) + noise / freedom
        width = math.sqrt(noise / mean_square / freedom) * self.bin_hz * self.noise_bins
        amplitude = math.sqrt(2 * mean_square)
        return Estimate(centre, max(width, self.bin_hz / 1000)), Estimate(
            amplitude, sigma / amplitude
        )

    def _level(self) -> float:
        """Mean square of a bin of noise alone."""
        median = float(gammaincinv(max(self.freedom, 1.0), 0.5)) / max(self.freedom, 1.0)
        return float(np.median(self.power[1:])) / median

    def band(self, low_hz: float, high_hz: float) -> Estimate:
        """Mean square of what lies in a band, lines and noise."""
        inside = (self.frequencies_hz >= low_hz) & (self.frequencies_hz <= high_hz)
        parts = self.power[inside] / self.noise_bins
        sigma = math.sqrt(float((parts**2).sum()) * self.shared_bins / max(self.freedom, 1.0))
        return Estimate(float(parts.sum()), sigma)

    def noise_density(self, low_hz: float, high_hz: float) -> Estimate | None:
        """Of a band, without the lines in it: what stands far above the median is one; None
        of fewer than eight bins."""
        inside = (self.frequencies_hz >= low_hz) & (self.frequencies_hz <= high_hz)
        inside &= self.frequencies_hz > 0
        power = self.power[inside]
        if len(power) < FEWEST_BINS:
            return None
        # Noise in a bin that is averaged ν times goes by a gamma distribution of ν.
        median, most = gammaincinv(max(self.freedom, 1.0), [0.5, 1 - _CHANCE])
        is_line = power > most / median * float(np.median(power))
        beside = np.convolve(is_line, np.ones(1 + 2 * math.ceil(self.noise_bins)), "same") > 0
        kept = power[~beside]
        if len(kept) < FEWEST_BINS:
            return None
        mean = float(kept.mean())
        relative = math.sqrt(self.shared_bins / (len(kept) * max(self.freedom, 1.0)))
        density = math.sqrt(mean / self.noise_bandwidth_hz)
        return Estimate(density, density * relative / 2)


class SpectrumGatherer:
    """Takes in blocks of evenly spaced values; the mean of each segment is taken out first."""

    def __init__(
        self, rate_hz: float, length: int, window: WindowName = "hann", overlap: float = 0.5
    ) -> None:
        """``length`` is of a segment, in values; ``overlap`` the share that two neighbours have in common.

        Raises
        ------
        ValueError
            Of fewer than sixteen values, or an overlap of all.
        """
        if length < FEWEST or not 0 <= overlap < 1:
            raise ValueError(
                "a segment of a spectrum has sixteen values or more, and overlaps by less than all"
            )
        self._rate_hz, self._length, self._name = rate_hz, length, window
        self._window = window_of(window, length)
        self._step = max(1, length - int(length * overlap))
        self._rest = np.empty(0)
        self._sum = np.zeros(length // 2 + 1)
        self._count = 0

    def add(self, values: FloatArray) -> None:
        """Take in (n,) float64."""
        rows = np.concatenate((self._rest, values))
        while len(rows) >= self._length:
            segment = rows[: self._length]
            lines = np.fft.rfft((segment - segment.mean()) * self._window)
            self._sum += np.square(np.abs(lines))
            self._count += 1
            rows = rows[self._step :]
        self._rest = rows

    def gap(self) -> None:
        """Values are missing: no segment goes over it."""
        self._rest = np.empty(0)

    @property
    def result(self) -> Spectrum | None:
        """Of all that came; None where no segment was filled."""
        if not self._count:
            return None
        length, window = self._length, self._window
        total = float(window.sum())
        power = self._sum / self._count * 2 / total**2
        power[0] /= 2
        if length % 2 == 0:
            power[-1] /= 2
        return Spectrum(
            np.arange(len(power)) * self._rate_hz / length,
            power,
            self._name,
            self._rate_hz,
            self._rate_hz / length,
            length * float((window**2).sum()) / total**2,
            length * float((window**4).sum()) / float((window**2).sum()) ** 2,
            self._count,
            self._freedom(),
        )

    def _freedom(self) -> float:
        """Independent averages: neighbours that overlap have part of their noise in common (Welch, 1967,
        equation for the variance)."""
        window, whole = self._window, float((self._window**2).sum())
        shared = 0.0
        for apart in range(1, min(self._count, -(-self._length // self._step))):
            shift = apart * self._step
            common = float((window[shift:] * window[: self._length - shift]).sum()) / whole
            shared += (1 - apart / self._count) * common**2
        return self._count / (1 + 2 * shared)


def spectrum(
    values: FloatArray,
    rate_hz: float,
    window: WindowName = "hann",
    length: int | None = None,
    overlap: float = 0.5,
) -> Spectrum:
    """Of (n,) float64 evenly spaced values; one segment of all of them where no length is given.

    Raises
    ------
    ValueError
        Of fewer than sixteen values.
    """
    gatherer = SpectrumGatherer(rate_hz, min(length or len(values), len(values)), window, overlap)
    gatherer.add(values)
    result = gatherer.result
    assert result is not None
    return result


def line_share(
    values: FloatArray, rate_hz: float, frequency_hz: float, width_hz: float = 1.0
) -> float:
    """Share of the power of ``values``, (n,) float64, that lies within ``width_hz`` of a frequency.

    The mean is taken out first and a Hann window applied; the width is at least three bins either
    way.
    """
    if len(values) < FEWEST:
        return 0.0
    whole = spectrum(values, rate_hz)
    reach = max(width_hz, 3 * whole.bin_hz)
    total = float(whole.power[1:].sum())
    near = np.abs(whole.frequencies_hz - frequency_hz) <= reach
    return float(whole.power[near].sum()) / total if total > 0 else 0.0
