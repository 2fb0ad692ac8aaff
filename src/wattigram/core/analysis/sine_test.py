"""How well a converter follows a sine: SINAD, THD, SNR, SFDR and ENOB as IEEE Std 1241 defines them.

All is found by least squares at the sample instants themselves, so that the record need be neither coherent nor
even, and no window is in the figures. Harmonics above half the rate fold down by themselves.
"""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis.estimate import Estimate, decibels, ratio, root
from wattigram.core.analysis.gaps import longest_stretch
from wattigram.core.analysis.sine import fit_sine
from wattigram.core.analysis.spectra import FEWEST, spectrum

FloatArray = NDArray[np.float64]
HARMONICS = 10
"""The highest that counts for THD."""
MOST_SAMPLES = 1 << 22
FEWEST_SAMPLES = 64
_CHUNK = 1 << 15
_ROUNDS = 8
_BATCHES = 64
_SURE = 4.0
"""Standard uncertainties above nothing, from which on a line is one."""
_NO_LINE = 7.0
"""By how much a bin's power must stand above the largest of so many of noise alone, in nats: one in a thousand does
by chance."""


class Harmonic(msgspec.Struct, frozen=True):
    """One multiple of the fundamental.

    ``power`` is its mean square, freed of what noise adds; ``folded_hz`` where it appears below half the rate,
    with even sampling.
    """

    order: int
    frequency_hz: float
    folded_hz: float
    power: Estimate

    @property
    def amplitude(self) -> Estimate:
        """Peak."""
        return root(self.power.scaled(2.0))


class Dynamic(msgspec.Struct, frozen=True):
    """What a sine turns into.

    Attributes
    ----------
    samples : int
        That were looked at.
    frequency_hz, amplitude, offset : Estimate
        Of the fundamental.
    harmonics : tuple of Harmonic
        From the second on; those that fall on the fundamental, on zero or on another are left out.
    left_out : tuple of int
        Their orders.
    noise : Estimate
        Rms of all that is neither fundamental nor harmonic.
    noise_and_distortion : Estimate
        Rms of all but fundamental and mean: the residual of the sine fit.
    sinad_db, snr_db, thd_db, sfdr_db : Estimate
    thd_is_bound, sfdr_is_bound : bool
        There is less than noise lets see: the figure is a limit. THD is not above it, SFDR not below.
    spur_hz : float
        Where the largest line besides the fundamental is.
    full_scale : float or None
        From the lowest to the highest value; None where nobody has said.
    """

    samples: int
    frequency_hz: Estimate
    amplitude: Estimate
    offset: Estimate
    harmonics: tuple[Harmonic, ...]
    left_out: tuple[int, ...]
    noise: Estimate
    noise_and_distortion: Estimate
    sinad_db: Estimate
    snr_db: Estimate
    thd_db: Estimate
    thd_is_bound: bool
    sfdr_db: Estimate
    sfdr_is_bound: bool
    spur_hz: float
    full_scale: float | None

    @property
    def level_db(self) -> Estimate | None:
        """Of the fundamental against a sine that spans full scale."""
        if not self.full_scale:
            return None
        share = self.amplitude.scaled(2 / self.full_scale)
        return decibels(Estimate(share.value**2, 2 * share.value * share.sigma))

    @property
    def enob(self) -> Estimate:
        """Effective bits at this level."""
        return Estimate(bits_at_level(self.sinad_db.value), self.sinad_db.sigma / _BIT_DB)

    @property
    def enob_at_full_scale(self) -> Estimate | None:
        """Effective bits of the converter. Of a sine that spans full scale both are the same."""
        rms = self.noise_and_distortion
        if not self.full_scale or rms.value <= 0:
            return None
        bits = bits_at_full_scale(self.full_scale, rms.value)
        return Estimate(bits, rms.sigma / rms.value / math.log(2))


_BIT_DB = 20 * math.log10(2)
_IDEAL_DB = 10 * math.log10(1.5)


def bits_at_level(sinad_db: float) -> float:
    """Effective bits of a sine as large as it is: (SINAD − 1.7609 dB) / 6.0206 dB."""
    return (sinad_db - _IDEAL_DB) / _BIT_DB


def bits_at_full_scale(full_scale: float, rms: float) -> float:
    """Effective bits of a converter, as IEEE Std 1241 defines them: log₂(full scale / (√12 · rms)), where
    ``rms`` is that of noise and distortion, in the unit of ``full_scale``."""
    return math.log2(full_scale / (math.sqrt(12) * rms))


class _Fit(msgspec.Struct, frozen=True):
    """Amplitudes of cosine and sine for each order, (orders, 2); the mean; and the standard deviation of the
    frequency for a residual of 1."""

    frequency_hz: float
    amplitudes: FloatArray
    offset: float
    spread_hz: float


def dynamic(
    values: FloatArray,
    times_s: FloatArray,
    full_scale: float | None = None,
    guess_hz: float | None = None,
) -> Dynamic:
    """Measure a sine of (n,) float64 values at (n,) float64 seconds.

    Of more than :data:`MOST_SAMPLES` the first are taken.

    Raises
    ------
    ValueError
        Of fewer than 64 values, of values that are all alike, or where no sine stands above the rest.
    """
    if len(values) < FEWEST_SAMPLES:
        raise ValueError("a sine is measured over 64 samples or more")
    values, times_s = values[:MOST_SAMPLES], times_s[:MOST_SAMPLES] - times_s[0]
    count = len(values)
    first = fit_sine(values, times_s, guess_hz)
    if not first.has_converged:
        raise ValueError("no sine stands above the rest")
    span_s = float(times_s[-1])
    step_s = float(np.median(np.diff(times_s)))
    orders, left_out = _separable(first.frequency_hz, 1 / step_s, 1 / span_s)
    fit = _fitted(values, times_s, first.frequency_hz, orders)
    residual = _residual(values, times_s, fit, orders)
    freedom = count - 2 * len(orders) - 2
    noise_square = _mean_square(residual, freedom)
    line_variance = 4 * noise_square.value / count
    """Of what noise adds to the square of a fitted amplitude, on average."""
    harmonics = tuple(
        Harmonic(
            order,
            order * fit.frequency_hz,
            folded(order * fit.frequency_hz, 1 / step_s),
            _line_power(fit.amplitudes[place], line_variance),
        )
        for place, order in enumerate(orders)
        if order > 1
    )
    fundamental = _line_power(fit.amplitudes[0], line_variance)
    distortion = _sum([harmonic.power for harmonic in harmonics])
    both = _sum([noise_square, distortion])
    thd_is_bound = distortion.value < _SURE * distortion.sigma
    thd = (
        distortion
        if not thd_is_bound
        else Estimate(max(0.0, distortion.value) + 2 * distortion.sigma, 0.0)
    )
    spur_hz, spur, sfdr_is_bound = _largest_line(
        residual, times_s, noise_square, harmonics, 1 / step_s
    )
    amplitude = root(fundamental.scaled(2.0))
    return Dynamic(
        count,
        Estimate(fit.frequency_hz, fit.spread_hz * math.sqrt(noise_square.value)),
        amplitude,
        Estimate(fit.offset, math.sqrt(noise_square.value / count)),
        harmonics,
        left_out,
        root(noise_square),
        root(both),
        decibels(ratio(fundamental, both)) if both.value > 0 else Estimate(math.inf, 0.0),
        decibels(ratio(fundamental, noise_square))
        if noise_square.value > 0
        else Estimate(math.inf, 0.0),
        decibels(ratio(thd, fundamental)),
        thd_is_bound,
        decibels(ratio(fundamental, spur)) if spur.value > 0 else Estimate(math.inf, 0.0),
        sfdr_is_bound,
        spur_hz,
        full_scale,
    )


def folded(frequency_hz: float, rate_hz: float) -> float:
    """Where a frequency appears below half the rate."""
    return abs(math.remainder(frequency_hz, rate_hz))


def _separable(
    frequency_hz: float, rate_hz: float, least_hz: float
) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """Orders that can be told from each other, and those that cannot: nearer than the record resolves."""
    kept, left_out = [1], []
    places = [0.0, rate_hz / 2, folded(frequency_hz, rate_hz)]
    for order in range(2, HARMONICS + 1):
        at = folded(order * frequency_hz, rate_hz)
        if min(abs(at - other) for other in places) < 1.5 * least_hz:
            left_out.append(order)
        else:
            kept.append(order)
            places.append(at)
    return tuple(kept), tuple(left_out)


def _fitted(
    values: FloatArray, times_s: FloatArray, frequency_hz: float, orders: tuple[int, ...]
) -> _Fit:
    """Least squares of all orders, the mean and the frequency, in rounds (Gauss and Newton)."""
    middle, span = float(times_s[-1]) / 2, float(times_s[-1])
    amplitudes: FloatArray | None = None
    spread = 0.0
    size = 2 * len(orders) + 1
    for _ in range(_ROUNDS):
        full = size + (amplitudes is not None)
        normal, right = np.zeros((full, full)), np.zeros(full)
        for begin in range(0, len(values), _CHUNK):
            part = slice(begin, begin + _CHUNK)
            matrix = _columns(times_s[part], frequency_hz, orders, amplitudes, middle, span)
            normal += matrix @ matrix.T
            right += matrix @ values[part]
        solution, *_ = np.linalg.lstsq(normal, right, rcond=None)
        was_first = amplitudes is None
        amplitudes = np.asarray(solution[: size - 1]).reshape(-1, 2)
        offset = float(solution[size - 1])
        if was_first:
            continue
        step_hz = float(solution[size]) / (2 * math.pi * span)
        spread = math.sqrt(max(0.0, float(np.linalg.pinv(normal, hermitian=True)[size, size])))
        frequency_hz += max(-0.25 / span, min(0.25 / span, step_hz))
        if abs(step_hz) < 1e-12 * frequency_hz:
            break
    assert amplitudes is not None
    return _Fit(frequency_hz, amplitudes, offset, spread / (2 * math.pi * span))


def _columns(
    times_s: FloatArray,
    frequency_hz: float,
    orders: tuple[int, ...],
    amplitudes: FloatArray | None,
    middle: float,
    span: float,
) -> FloatArray:
    """Cosine and sine of each order, ones, and, where amplitudes are known, what a change of frequency does."""
    angle = (2 * math.pi * frequency_hz) * times_s
    once = np.exp(1j * angle)
    waves = [once if order == 1 else once**order for order in orders]
    columns = [part for wave in waves for part in (wave.real, wave.imag)]
    columns.append(np.ones_like(angle))
    if amplitudes is not None:
        slope = np.sum(
            [
                order * (amplitudes[place, 1] * wave.real - amplitudes[place, 0] * wave.imag)
                for place, (order, wave) in enumerate(zip(orders, waves, strict=True))
            ],
            axis=0,
        )
        columns.append((times_s - middle) / span * slope)
    return np.stack(columns)


def _residual(
    values: FloatArray, times_s: FloatArray, fit: _Fit, orders: tuple[int, ...]
) -> FloatArray:
    """What is left of the values, (n,) float64."""
    left = np.empty(len(values))
    weights = np.concatenate((fit.amplitudes.ravel(), [fit.offset]))
    for begin in range(0, len(values), _CHUNK):
        part = slice(begin, begin + _CHUNK)
        columns = _columns(times_s[part], fit.frequency_hz, orders, None, 0.0, 1.0)
        left[part] = values[part] - weights @ columns
    return left


def _mean_square(residual: FloatArray, freedom: int) -> Estimate:
    """Of what is left, with the larger of two uncertainties: as of values that do not depend on each other, and
    of what batches scatter by."""
    squares = residual * residual
    mean = float(squares.sum()) / freedom
    each = math.sqrt(float(np.var(squares)) / len(squares))
    size = len(squares) // _BATCHES
    if size < 1:
        return Estimate(mean, each)
    batches = squares[: size * _BATCHES].reshape(_BATCHES, size).mean(axis=1)
    return Estimate(mean, max(each, float(batches.std(ddof=1)) / math.sqrt(_BATCHES)))


def _line_power(amplitudes: FloatArray, noise_power: float) -> Estimate:
    """Mean square of a line of which cosine and sine were fitted, less what noise adds on average."""
    square = float((amplitudes**2).sum())
    # Var(A²) of A² = a² + b², each with variance noise_power / 2.
    sigma = math.sqrt(max(0.0, 2 * (square - noise_power / 2) * noise_power))
    return Estimate((square - noise_power) / 2, max(sigma, noise_power) / 2)


def _sum(parts: list[Estimate]) -> Estimate:
    return Estimate(
        sum(part.value for part in parts), math.sqrt(sum(part.sigma**2 for part in parts))
    )


def _largest_line(
    residual: FloatArray,
    times_s: FloatArray,
    noise_square: Estimate,
    harmonics: tuple[Harmonic, ...],
    rate_hz: float,
) -> tuple[float, Estimate, bool]:
    """The largest harmonic or other line: where, its mean square, and whether that is only what noise lets
    see."""
    largest = max(harmonics, key=lambda one: one.power.value, default=None)
    stretch = longest_stretch(times_s)
    part = residual[stretch]
    found = largest is not None and largest.power.value > _SURE * largest.power.sigma
    spur = largest.power if largest is not None and found else Estimate(0.0, 0.0)
    spur_hz = largest.folded_hz if largest is not None and found else 0.0
    if len(part) < FEWEST:
        return spur_hz, spur, not found
    lines = spectrum(part, rate_hz, "rectangular")
    place = 1 + int(np.argmax(lines.power[1:]))
    power = float(lines.power[place])
    level = 2 * noise_square.value / len(part)
    """Of a bin of noise alone, on average."""
    limit = level * (math.log(len(lines.power)) + _NO_LINE)
    if power > limit:
        fine_hz, fine = _refined(part, times_s[stretch], float(lines.frequencies_hz[place]), level)
        if fine.value > spur.value:
            return fine_hz, fine, False
    if not found:
        return float(lines.frequencies_hz[place]), Estimate(max(limit, power), 0.0), True
    return spur_hz, spur, False


def _refined(
    values: FloatArray, times_s: FloatArray, frequency_hz: float, level: float
) -> tuple[float, Estimate]:
    """A line between bins."""
    fit = fit_sine(values, times_s, frequency_hz)
    amplitudes = np.array([fit.amplitude, 0.0])
    return fit.frequency_hz, _line_power(amplitudes, 2 * level)
