"""Histograms of codes, and what they say of a converter: missing codes, INL and DNL by a sine or a ramp, after the
code density test of IEEE Std 1241."""

from __future__ import annotations

import math
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray
from scipy.special import erfc

from wattigram.core.analysis.estimate import Estimate
from wattigram.core.analysis.regress import LineFit, fit_line
from wattigram.core.analysis.sine import fit_sine

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
Stimulus = Literal["sine", "ramp"]
FEWEST_CODES = 8
SURE = 12.0
"""A code that was to come so often and never came is missing: by chance alone one in 160 000 is."""
MOST_CODES = 1 << 20
FEWEST_SAMPLES = 64


class CodeHistogram:
    """Counts of codes that come in blocks of any length."""

    def __init__(self) -> None:
        self.first = 0
        """Code of the first count."""
        self.counts: IntArray = np.empty(0, dtype=np.int64)

    def add(self, codes: IntArray) -> None:
        """Take in (n,) integers.

        Raises
        ------
        ValueError
            Where they lie further apart than any converter's codes.
        """
        if not len(codes):
            return
        low, high = int(codes.min()), int(codes.max())
        begin, end = low, high + 1
        if len(self.counts):
            begin, end = min(begin, self.first), max(end, self.first + len(self.counts))
        if end - begin > MOST_CODES:
            raise ValueError(f"codes from {begin} to {end - 1} are more than a histogram takes")
        places = np.asarray(codes, dtype=np.int64) - begin
        counts = np.bincount(places, minlength=end - begin).astype(np.int64)
        if len(self.counts):
            since = self.first - begin
            counts[since : since + len(self.counts)] += self.counts
        self.first, self.counts = begin, counts

    @property
    def codes(self) -> IntArray:
        """From the lowest that came to the highest, (n,) int64."""
        numbers: IntArray = np.arange(self.first, self.first + len(self.counts), dtype=np.int64)
        return numbers

    @property
    def total(self) -> int:
        """Values."""
        return int(self.counts.sum())

    @property
    def absent(self) -> IntArray:
        """Codes between the lowest and the highest that never came, (n,) int64; of few values that says nothing
        of the converter."""
        return np.asarray(self.codes[self.counts == 0])


class CodeDensity(msgspec.Struct, frozen=True):
    """A converter's transitions against the straight line that fits them best.

    Attributes
    ----------
    stimulus : str
    values : int
        Counted, those at both ends included.
    codes : (n,) int64
        Between the first and the last transition.
    dnl_lsb, dnl_sigma_lsb : (n,) float64
        Width of each code, less one.
    transitions : (n + 1,) int64
        Each by the code that begins there.
    inl_lsb, inl_sigma_lsb : (n + 1,) float64
        How far each transition is from the line.
    missing : tuple of int
        Codes that never came, and would have come twelve times or more.
    undecided : int
        Codes that never came, where so few values were to come that this says nothing.
    noise_lsb : float
        With which the uncertainties were worked out.
    sparse : int
        Transitions near which inputs lie more than a quarter of an LSB apart: too few values, or a frequency at
        which the same places of the period come again and again.
    """

    stimulus: Stimulus
    values: int
    codes: IntArray
    dnl_lsb: FloatArray
    dnl_sigma_lsb: FloatArray
    transitions: IntArray
    inl_lsb: FloatArray
    inl_sigma_lsb: FloatArray
    missing: tuple[int, ...]
    undecided: int
    noise_lsb: float
    sparse: int

    @property
    def worst_inl(self) -> Estimate:
        """Of the transition that is farthest off, with its sign."""
        place = int(np.argmax(np.abs(self.inl_lsb)))
        return Estimate(float(self.inl_lsb[place]), float(self.inl_sigma_lsb[place]))

    @property
    def worst_dnl(self) -> Estimate:
        """Of the code whose width is farthest off, with its sign."""
        place = int(np.argmax(np.abs(self.dnl_lsb)))
        return Estimate(float(self.dnl_lsb[place]), float(self.dnl_sigma_lsb[place]))

    @property
    def inl_bias_lsb(self) -> float:
        """By how much noise alone makes the worst of so many look worse than it is."""
        return _bias(self.inl_sigma_lsb)

    @property
    def dnl_bias_lsb(self) -> float:
        """The same of widths."""
        return _bias(self.dnl_sigma_lsb)


def _bias(sigmas: FloatArray) -> float:
    """Expected largest of so many normal values: σ · √(2 ln n) (IEEE Std 1241, on the confidence of INL and
    DNL)."""
    return float(np.sqrt(np.mean(sigmas**2)) * math.sqrt(2 * math.log(max(2, len(sigmas)))))


_UNKNOWN = 7.0
"""Shares from one value to the next at most, where only the histogram is known."""
SPARSE_LSB = 0.25
"""From one input to the next: from there on noise and transitions are hardly told apart."""


def code_density(
    histogram: CodeHistogram,
    stimulus: Stimulus,
    noise_lsb: float = 0.0,
    inputs: FloatArray | None = None,
) -> CodeDensity:
    """INL and DNL from how often each code came.

    A sine of amplitude A about C comes below a voltage v for a share of acos((C − v) / A) / π of the time, so that
    the transition above code k lies at C − A cos(π · H[k] / n), with H[k] values up to k of n; of a ramp at H[k]
    itself. A and C fall out, for the line that fits best (independently based) is taken off. Both ends, where the
    sine turns or the ramp begins, are left out. That takes a whole number of periods, sampled all over.

    Where the ``inputs`` are known, the transition lies between the H[k]-th and the next of them in order of size,
    whatever was sampled.

    Each value near a transition falls on either side as noise has it, so that of n values, of which f · n fall
    into a width of one LSB there, a transition is uncertain by √(σ / (√π f n)) LSB, and by the widest gap between inputs there / √12;
    where the inputs are not known, a gap of seven values' shares is taken.

    Parameters
    ----------
    noise_lsb : float, rms of what noise there is at the converter's input
    inputs : (n,) float64, what was put in at each value, in any unit and order

    Raises
    ------
    ValueError
        Of fewer than ten codes, or fewer than two values for each.
    """
    counts, codes = histogram.counts, histogram.codes
    total = histogram.total
    if len(counts) < FEWEST_CODES + 2:
        raise ValueError("the values spread over fewer than ten codes")
    if total < 2 * len(counts):
        raise ValueError("there are fewer than two values for each code")
    share = np.cumsum(counts)[:-1] / total
    numbers = codes[1:]
    if inputs is None:
        places = -np.cos(np.pi * share) if stimulus == "sine" else share
    else:
        ordered = np.sort(inputs)
        places = _between(histogram, ordered)
    line = _line(histogram, places)
    at_lsb = (places - line.offset) / line.slope
    if inputs is None:
        # Share of all values in a width of one LSB at each transition.
        density = (
            line.slope / (np.pi * np.maximum(np.sin(np.pi * share), 1e-9))
            if stimulus == "sine"
            else np.full(len(share), line.slope)
        )
        each = 1 / (density * total)
        # Nobody knows what was put in: several shares may lie between two values.
        widest = _UNKNOWN * each
    else:
        each, widest = _spacing((ordered - line.offset) / line.slope, at_lsb)
    variance = noise_lsb / math.sqrt(math.pi) * each + widest**2 / 12
    common = _common(noise_lsb) * (each[1:] + each[:-1]) / 2
    dnl_variance = np.maximum(
        variance[1:] + variance[:-1] - 2 * common, (widest[1:] ** 2 + widest[:-1] ** 2) / 12
    )
    expected = 2 / (each[1:] + each[:-1])
    never = counts[1:-1] == 0
    return CodeDensity(
        stimulus,
        total,
        codes[1:-1],
        np.diff(at_lsb) - 1,
        np.sqrt(dnl_variance),
        numbers,
        at_lsb - numbers,
        np.sqrt(variance),
        tuple(codes[1:-1][never & (expected >= SURE)].tolist()),
        int(np.count_nonzero(never & (expected < SURE))),
        noise_lsb,
        int(np.count_nonzero(widest > SPARSE_LSB)),
    )


def _spacing(inputs_lsb: FloatArray, at_lsb: FloatArray) -> tuple[FloatArray, FloatArray]:
    """From one input to the next near each transition, in order of size: on average, an LSB over how many fall
    into it, and at most, both in LSB."""
    first = np.searchsorted(inputs_lsb, at_lsb - 0.5)
    last = np.searchsorted(inputs_lsb, at_lsb + 0.5)
    gaps = np.diff(inputs_lsb)
    begin = np.clip(first - 1, 0, len(gaps) - 1)
    end = np.maximum(begin + 1, np.minimum(last + 1, len(gaps)))
    widest = np.maximum.reduceat(np.append(gaps, 0.0), np.stack((begin, end), axis=1).ravel())[::2]
    return np.asarray(1 / np.maximum(1, last - first)), widest


def code_density_of_sine(codes: IntArray, times_s: FloatArray) -> CodeDensity:
    """INL and DNL of a converter that was given a sine, which is fitted to the codes that are not at either end: it
    may be larger than full scale, and need not be coherent.

    Parameters
    ----------
    codes : (n,) integers, as they were converted
    times_s : (n,) float64, seconds

    Raises
    ------
    ValueError
        Where no sine fits, of fewer than ten codes, or fewer than two values for each.
    """
    histogram = CodeHistogram()
    histogram.add(codes)
    inside = (codes > codes.min()) & (codes < codes.max())
    if np.count_nonzero(inside) < FEWEST_SAMPLES:
        raise ValueError("the values spread over fewer than ten codes")
    fit = fit_sine(codes[inside].astype(np.float64), times_s[inside] - times_s[0])
    if not fit.has_converged:
        raise ValueError("no sine stands above the rest")
    angle = 2 * math.pi * fit.frequency_hz * (times_s - times_s[0]) + fit.phase
    inputs = fit.offset + fit.amplitude * np.sin(angle)
    return _density_of(histogram, "sine", codes, inputs)


def code_density_of_ramp(codes: IntArray, times_s: FloatArray) -> CodeDensity:
    """INL and DNL of a converter that was given one even ramp, up or down.

    Parameters
    ----------
    codes : (n,) integers, as they were converted
    times_s : (n,) float64, seconds

    Raises
    ------
    ValueError
        Of fewer than ten codes, fewer than two values for each, or where the values do not follow a ramp.
    """
    histogram = CodeHistogram()
    histogram.add(codes)
    inside = (codes > codes.min()) & (codes < codes.max())
    line = fit_line(times_s[inside], codes[inside].astype(np.float64))
    if line.share < _RAMP_SHARE:
        raise ValueError("the values do not follow one even ramp")
    return _density_of(histogram, "ramp", codes, line.offset + line.slope * times_s)


_RAMP_SHARE = 0.98
"""Of the values' scatter that a straight line explains; two passes of a sawtooth leave a quarter."""


def _density_of(
    histogram: CodeHistogram, stimulus: Stimulus, codes: IntArray, inputs: FloatArray
) -> CodeDensity:
    """With the noise that the values themselves show."""
    first = code_density(histogram, stimulus, 0.0, inputs)
    line = _line(histogram, _between(histogram, np.sort(inputs)))
    noise_lsb = _noise_lsb(codes, (inputs - line.offset) / line.slope, first)
    return code_density(histogram, stimulus, noise_lsb, inputs)


def _between(histogram: CodeHistogram, ordered: FloatArray) -> FloatArray:
    """Transitions from inputs in order of size: as many lie below each as codes came below it, (n − 1,)."""
    below = np.cumsum(histogram.counts)[:-1]
    return np.asarray((ordered[below - 1] + ordered[below]) / 2)


def _line(histogram: CodeHistogram, places: FloatArray) -> LineFit:
    """The straight line through all transitions."""
    line = fit_line(histogram.codes[1:].astype(np.float64), places)
    if line.slope <= 0:
        raise ValueError("codes do not grow with what is put in")
    return line


def _noise_lsb(codes: IntArray, inputs_lsb: FloatArray, density: CodeDensity) -> float:
    """Noise at the converter's input, whatever its errors.

    Small noise: so many values lie on the wrong side of the transition that is next to them, of which one at a
    distance d does with Φ(−d / σ). Larger noise: inputs that gave a code of width W lie apart by W²/12 + σ².
    """
    transitions = density.transitions + density.inl_lsb
    inner = (codes >= density.transitions[0]) & (codes < density.transitions[-1])
    codes, inputs = codes[inner], inputs_lsb[inner]
    places = codes - int(density.codes[0])
    after = np.clip(np.searchsorted(transitions, inputs), 1, len(transitions) - 1)
    near = after - (inputs - transitions[after - 1] < transitions[after] - inputs)
    apart = inputs - transitions[near]
    wrong = int(np.count_nonzero((codes >= density.transitions[near]) != (apart >= 0)))
    low, high = 0.0, _SMALL_NOISE
    for _ in range(40):
        middle = (low + high) / 2
        expected = float(erfc(np.abs(apart) / (middle * math.sqrt(2))).sum()) / 2
        low, high = (low, middle) if expected > wrong else (middle, high)
    if high < _SMALL_NOISE:
        return high
    counts = np.bincount(places, minlength=len(density.codes))
    means = np.bincount(places, inputs, len(density.codes)) / np.maximum(counts, 1)
    squares = float(((inputs - means[places]) ** 2).sum())
    freedom = np.maximum(counts - 1, 0)
    widths = float((freedom * (density.dnl_lsb + 1) ** 2).sum()) / 12
    return math.sqrt(max(_SMALL_NOISE**2, (squares - widths) / max(1, int(freedom.sum()))))


_SMALL_NOISE = 0.5
"""LSB."""


def _common(noise_lsb: float) -> float:
    """What counts at two transitions one LSB apart have in common: E[max(0, e₁ − e₂ − 1)] for two independent
    noises."""
    if noise_lsb <= 0:
        return 0.0
    spread = noise_lsb * math.sqrt(2)
    at = 1 / spread
    return (
        spread * math.exp(-at * at / 2) / math.sqrt(2 * math.pi)
        - float(erfc(at / math.sqrt(2))) / 2
    )
