"""Sine fits after IEEE Std 1241, clauses on three- and four-parameter least squares fits."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis.gaps import longest_stretch

FloatArray = NDArray[np.float64]
_CHUNK = 1 << 16
_ROUNDS = 12
_HARMONICS = 256
_PHASES = 1024


class SineFit(msgspec.Struct, frozen=True):
    """offset + amplitude · sin(2π · frequency · t + phase), with what is left over."""

    frequency_hz: float
    amplitude: float
    phase: float
    """Radians at t = 0."""
    offset: float
    residual_rms: float
    frequency_sigma_hz: float
    """Standard deviation of the frequency, from the residual and the normal equations of all four
    parameters."""
    samples: int = 0

    @property
    def rms(self) -> float:
        """Of the alternating part."""
        return self.amplitude / math.sqrt(2)

    @property
    def has_converged(self) -> bool:
        """The sine accounts for more than what is left: otherwise frequency and amplitude are of
        nothing."""
        return self.rms > self.residual_rms

    @property
    def amplitude_sigma(self) -> float:
        """Standard deviation of the amplitude: residual · sqrt(2 / n) for n samples (IEEE Std 1241,
        annex on fits)."""
        return self.residual_rms * math.sqrt(2 / max(1, self.samples))

    @property
    def sinad_db(self) -> float:
        """Ratio of the sine to all else."""
        return 20 * math.log10(self.rms / self.residual_rms) if self.residual_rms > 0 else math.inf


def quantised_amplitude_bias(
    amplitude: float, step: float, noise: float = 0.0, phases: int = _PHASES
) -> float:
    """By how much at most a fitted amplitude is off because values come in steps, wherever between
    them the sine lies.

    Rounding adds sin(2πkx)/(πk) to a value of x steps, for every k; of a sine of A steps that has a
    fundamental of
    2·J₁(2πkA)/(πk), and normal noise of σ steps takes exp(−2(πkσ)²) of it (Widrow and Kollár,
    Quantization Noise). For
    J₁(x) its envelope √(2/(πx)) is taken, so that nothing hangs on the last digits of A. A sine
    that is sampled at the
    same few places of its period again and again has only as many different errors, each of a
    step/√12: four standard
    deviations of the amplitude of their fundamental are taken there, and no more than 2/π of a
    step, which is the most.

    Parameters
    ----------
    amplitude, step, noise : in one unit; the noise is what there is besides the steps, as a
    standard deviation
    phases : places of the period that are sampled, as of `phase_count`
    """
    if step <= 0 or amplitude <= 0:
        return 0.0
    order = np.arange(1, 1 + _HARMONICS)
    envelope = 1 / (np.pi * np.sqrt(order * amplitude / step))
    fading = np.exp(-2 * (np.pi * order * noise / step) ** 2)
    everywhere = float((2 / (np.pi * order) * envelope * fading).sum())
    at_few = min(2 / math.pi, 4 * math.sqrt(2 / max(phases, 1) / 12)) * float(fading[0])
    if phases >= 8 * amplitude / step:
        at_few = 0.0
    return max(everywhere, at_few) * step


def phase_count(times_s: FloatArray, frequency_hz: float) -> int:
    """Different places of a sine's period that are sampled, of 1024.

    ``times_s`` is (n,) float64, seconds.
    """
    return len(np.unique(np.floor(np.mod(times_s * frequency_hz, 1.0) * _PHASES).astype(np.int64)))


def quantised_bias(fit: SineFit, step: float, times_s: FloatArray) -> float:
    """The same for a fit of values at these instants, with as much noise as its residual has beyond
    that of steps.

    ``times_s`` is (n,) float64, seconds; ``step`` and the result have the fit's unit.
    """
    noise = math.sqrt(max(0.0, fit.residual_rms**2 - step**2 / 12))
    return quantised_amplitude_bias(
        fit.amplitude, step, noise, phase_count(times_s, fit.frequency_hz)
    )


def fit_sine_known(values: FloatArray, times_s: FloatArray, frequency_hz: float) -> SineFit:
    """Three-parameter fit at a known frequency.

    Parameters
    ----------
    values, times_s : (n,) float64, n ≥ 4
    """
    coefficients = _solve(values, times_s, frequency_hz, with_frequency=False).amplitudes
    return _result(values, times_s, frequency_hz, coefficients, 0.0)


def fit_sine(values: FloatArray, times_s: FloatArray, guess_hz: float | None = None) -> SineFit:
    """Four-parameter fit; without a guess it starts from the highest line of the spectrum.

    Parameters
    ----------
    values, times_s : (n,) float64, n ≥ 8; gaps between stretches of equal spacing may be among them

    Raises
    ------
    ValueError
        When there are too few samples, or nothing alternates.
    """
    if len(values) < 8 or float(np.ptp(values)) == 0:
        raise ValueError("a sine fit needs eight samples that are not all alike")
    guesses = _guesses(values, times_s) if guess_hz is None else [guess_hz]
    return min(
        (_fit_near(values, times_s, guess) for guess in guesses), key=lambda fit: fit.residual_rms
    )


def _guesses(values: FloatArray, times_s: FloatArray) -> list[float]:
    """Frequencies to start from: of the longest stretch of equal spacing, and of everything, put on
    equal spacing.

    A spectrum knows nothing of gaps. A stretch is short where a signal has unequal places of a
    sequence; what lies
    in a gap is made up, where stretches are put together.
    """
    whole = longest_stretch(times_s)
    length = whole.stop - whole.start
    if length == len(values):
        return [_spectral_guess(values, times_s)]
    even_s = np.linspace(times_s[0], times_s[-1], len(times_s))
    guesses_hz = [_spectral_guess(np.interp(even_s, times_s, values), even_s)]
    if (
        length >= 8 and float(np.ptp(values[whole])) > 0
    ):  # near enough for the whole only once it fits the stretch
        first_hz = _spectral_guess(values[whole], times_s[whole])
        guesses_hz.append(_fit_near(values[whole], times_s[whole], first_hz).frequency_hz)
    return guesses_hz


def _fit_near(values: FloatArray, times_s: FloatArray, frequency_hz: float) -> SineFit:
    """The four-parameter fit from a frequency on."""
    span_s = float(times_s[-1] - times_s[0])
    for _ in range(_ROUNDS):
        solution = _solve(values, times_s, frequency_hz, with_frequency=True)
        if not solution.amplitudes[:2].any():
            break
        step_hz = solution.slope / (2 * math.pi * span_s)
        step_hz = max(-0.5 / span_s, min(0.5 / span_s, step_hz))
        frequency_hz += step_hz
        if abs(step_hz) < 1e-12 * max(frequency_hz, 1 / span_s):
            break
    coefficients = _solve(values, times_s, frequency_hz, with_frequency=False).amplitudes
    return _result(
        values, times_s, frequency_hz, coefficients, solution.slope_spread / (2 * math.pi * span_s)
    )


def _spectral_guess(values: FloatArray, times_s: FloatArray) -> float:
    """Highest line of a Hann-windowed spectrum, between bins by parabola of the logarithms."""
    count = len(values)
    step_s = float(times_s[-1] - times_s[0]) / (count - 1)
    magnitude = np.abs(np.fft.rfft((values - values.mean()) * np.hanning(count)))
    peak = int(np.argmax(magnitude[1:])) + 1
    shift = 0.0
    if 1 <= peak < len(magnitude) - 1 and magnitude[peak - 1 : peak + 2].min() > 0:
        below, at, above = np.log(magnitude[peak - 1 : peak + 2])
        bend = below - 2 * at + above
        shift = float((below - above) / (2 * bend)) if bend else 0.0
    return (peak + shift) / (count * step_s)


class _Solution(msgspec.Struct, frozen=True):
    """(cos, sin, offset), the phase change over the record, and its standard deviation for a
    residual of 1."""

    amplitudes: FloatArray
    slope: float
    slope_spread: float


def _solve(
    values: FloatArray, times_s: FloatArray, frequency_hz: float, with_frequency: bool
) -> _Solution:
    """Normal equations in chunks.

    Time is scaled to the record and centred: unscaled, the frequency column swamps the others. That
    column is what the sine at this frequency becomes where its phase changes, and so a sum of two others.
    """
    begin, end = float(times_s[0]), float(times_s[-1])
    middle, span = (begin + end) / 2, max(end - begin, 1e-300)
    size = 5 if with_frequency else 3
    normal = np.zeros((size, size))
    right = np.zeros(size)
    for start in range(0, len(values), _CHUNK):
        part = slice(start, start + _CHUNK)
        matrix = np.ones((size, len(values[part])))
        angle = (2 * math.pi * frequency_hz) * (times_s[part] - begin)
        np.cos(angle, out=matrix[0])
        np.sin(angle, out=matrix[1])
        if with_frequency:
            scaled = (times_s[part] - middle) / span
            np.multiply(matrix[:2], scaled, out=matrix[3:])
        normal += matrix @ matrix.T
        right += matrix @ values[part]
    sine, *_rest = np.linalg.lstsq(normal[:3, :3], right[:3], rcond=None)
    if not with_frequency:
        return _Solution(np.asarray(sine, dtype=np.float64), 0.0, 0.0)
    turned = np.zeros((4, 5))
    turned[:3, :3] = np.eye(3)
    turned[3, 3:] = sine[1], -sine[0]
    normal = turned @ normal @ turned.T
    solution, *_rest = np.linalg.lstsq(normal, turned @ right, rcond=None)
    spread = math.sqrt(max(0.0, float(np.linalg.pinv(normal, hermitian=True)[3, 3])))
    return _Solution(np.asarray(solution[:3], dtype=np.float64), float(solution[3]), spread)


def _result(
    values: FloatArray, times_s: FloatArray, frequency_hz: float, fit: FloatArray, spread_hz: float
) -> SineFit:
    begin = float(times_s[0])
    amplitude = math.hypot(fit[0], fit[1])
    total = 0.0
    for start in range(0, len(values), _CHUNK):
        part = slice(start, start + _CHUNK)
        angle = (2 * math.pi * frequency_hz) * (times_s[part] - begin)
        left = values[part] - (fit[0] * np.cos(angle) + fit[1] * np.sin(angle) + fit[2])
        total += float(left @ left)
    residual = math.sqrt(total / len(values))
    phase = math.atan2(fit[0], fit[1]) - 2 * math.pi * frequency_hz * begin
    return SineFit(
        frequency_hz,
        amplitude,
        math.remainder(phase, 2 * math.pi),
        float(fit[2]),
        residual,
        spread_hz * residual,
        len(values),
    )
