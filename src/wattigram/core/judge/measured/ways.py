"""How each figure is worked out: a sentence, and where it follows from others a formula of them."""

from __future__ import annotations

import math
import re

import msgspec

from wattigram.core.advise.explanations import Explanation, Given
from wattigram.core.judge.measured.figures import Measured, shown


class Way(msgspec.Struct, frozen=True):
    """The method of a figure; ``formula`` is of other figures, by their keys with _ for -, and of ``samples``."""

    text: str
    formula: str = ""
    source: str = ""


_LEAST_SQUARES = (
    "Of the sine with harmonics that fits by least squares, at the samples' own instants"
)
_CROSSINGS = "Of crossings of the level, each on a straight line between two samples"
_OF_CODES = "Of how often each code came, against how often the stimulus makes it come"
_EXTREME = "Of all samples of the stretch; it grows with their number"

WAYS: dict[tuple[str, str], Way] = {
    ("statistics", "mean"): Way("The mean of all samples of the stretch."),
    ("statistics", "std"): Way("The root of Σ (x − mean)² / (n − 1)."),
    ("statistics", "rms"): Way(
        "The root of Σ x² / n.", "sqrt(mean ** 2 + std ** 2 * (samples - 1) / samples)"
    ),
    ("statistics", "minimum"): Way(f"{_EXTREME}."),
    ("statistics", "maximum"): Way(f"{_EXTREME}."),
    ("statistics", "peak-to-peak"): Way(f"{_EXTREME}.", "maximum - minimum"),
    ("statistics", "drift"): Way("The slope of the straight line that fits by least squares."),
    ("statistics", "lsb"): Way("What one count of the converter is, as the design has it."),
    ("statistics", "std-lsb"): Way("In counts of the converter.", "std / lsb"),
    ("expected", "inside"): Way("Samples within the expected band, of all that can be compared."),
    ("expected", "outside"): Way("Samples beyond the expected band."),
    ("expected", "farthest"): Way("The most that a sample lies beyond the expected band."),
    ("expected", "mean-apart"): Way("The mean of captured less expected."),
    ("expected", "rms-apart"): Way("The root of the mean square of captured less expected."),
    ("sine", "frequency"): Way(f"{_LEAST_SQUARES}, the frequency found with it.", "", "IEEE 1241"),
    ("sine", "amplitude"): Way(f"{_LEAST_SQUARES}.", "", "IEEE 1241"),
    ("sine", "offset"): Way(f"{_LEAST_SQUARES}.", "", "IEEE 1241"),
    ("sine", "sinad"): Way(
        "Rms of the sine by the rms of all that it leaves, noise and harmonics, in dB.", "", "IEEE 1241"
    ),
    ("sine", "snr"): Way(
        "Rms of the sine by the rms of the noise.",
        "20 * log10(amplitude / sqrt(2) / noise)",
        "IEEE 1241",
    ),
    ("sine", "thd"): Way("Rms of harmonics 2 to 10 by that of the sine, in dB.", "", "IEEE 1241"),
    ("sine", "sfdr"): Way("The sine by the largest other line up to half the rate, in dB.", "", "IEEE 1241"),
    ("sine", "enob"): Way(
        "Bits of an ideal converter that would have this SINAD with this sine.",
        "(sinad - 10 * log10(3 / 2)) / (20 * log10(2))",
        "IEEE 1241",
    ),
    ("sine", "enob-full-scale"): Way(
        "The same for a sine that spans full scale: log₂(full scale / (√12 · rms of noise and distortion)).",
        "enob - level / (20 * log10(2))",
        "IEEE 1241",
    ),
    ("sine", "level"): Way("The sine by one that spans full scale, in dB."),
    ("sine", "noise"): Way("The rms of what neither sine nor harmonics explain.", "", "IEEE 1241"),
    ("spectrum", "peak-frequency"): Way("The centre of power of the highest line's lobe, less the noise beneath."),
    ("spectrum", "peak-amplitude"): Way("From the power of all that its lobe holds, less the noise beneath."),
    ("spectrum", "density"): Way("The root of the mean power of bins beside all lines, by the noise bandwidth of one."),
    ("spectrum", "bin"): Way("The rate by the samples of a segment."),
    ("spectrum", "noise-bandwidth"): Way("Of a bin with its window: Σ w² / (Σ w)² times the rate."),
    ("histogram", "lowest"): Way("The lowest code that came."),
    ("histogram", "highest"): Way("The highest code that came."),
    ("histogram", "codes"): Way("Codes that came at least once."),
    ("histogram", "absent"): Way(
        "Codes between the lowest and the highest that did not come.", "highest - lowest + 1 - codes"
    ),
    ("histogram", "inl"): Way(f"{_OF_CODES}, against the line that fits best.", "", "IEEE 1241"),
    ("histogram", "dnl"): Way(f"{_OF_CODES}: a step's width less one count.", "", "IEEE 1241"),
    ("histogram", "missing-codes"): Way("Codes that should have come often, and hardly came.", "", "IEEE 1241"),
    ("histogram", "noise-lsb"): Way("The noise at the input with which the uncertainties are worked out."),
    ("intervals", "count"): Way(f"{_CROSSINGS}."),
    ("intervals", "mean"): Way(f"{_CROSSINGS}: the time from first to last by their number."),
    ("intervals", "frequency"): Way("Of the mean interval.", "1 / mean"),
    ("intervals", "jitter"): Way(f"{_CROSSINGS}: the standard deviation of intervals."),
    ("intervals", "neighbour-jitter"): Way("The standard deviation of what an interval differs from the one before."),
    ("intervals", "shortest"): Way(f"{_CROSSINGS}."),
    ("intervals", "longest"): Way(f"{_CROSSINGS}."),
    ("intervals", "accumulated"): Way("The standard deviation of instants about even ones that fit best."),
    ("folded", "period"): Way("As it was said, or that of the sine that fits."),
    ("folded", "periods"): Way("Periods that the stretch holds."),
    ("folded", "spread"): Way("The standard deviation at each place of the period, rms over it."),
    ("folded", "span"): Way("Of the mean at each place of the period: greatest less least."),
    ("step", "before"): Way("The mean of the first eighth of the stretch."),
    ("step", "after"): Way("The mean of the last quarter of the stretch."),
    ("step", "height"): Way("The levels' difference.", "after - before"),
    ("step", "at"): Way("Where it crosses the middle of both levels."),
    ("step", "overshoot"): Way("What goes beyond the level after it, by the height."),
    ("step", "rise"): Way("From 10 to 90 % of the height."),
    ("step", "settling"): Way("From half way until it stays within the band about the level after it."),
    ("gain", "frequency"): Way("As it was said, or that of the sine that fits the first."),
    ("gain", "gain"): Way("Amplitude of the second by that of the first, each by least squares.", "", "IEEE 1241"),
    ("gain", "gain-db"): Way("The same in dB.", "20 * log10(gain)"),
    ("gain", "phase"): Way("Of the second less that of the first, each at its own sampling instants."),
    ("gain", "delay"): Way("The phase as a time.", "-phase / 360 / frequency"),
    ("response", "points"): Way("Frequencies that were measured."),
    ("response", "lowest"): Way("The lowest frequency that was measured."),
    ("response", "highest"): Way("The highest frequency that was measured."),
    ("response", "fall"): Way("Where the gain has fallen by 3 dB, between the frequencies that were measured."),
    ("against", "slope"): Way("Of the straight line that fits by least squares."),
    ("against", "offset"): Way("Of the straight line that fits by least squares."),
    ("against", "correlation"): Way("Covariance by both standard deviations."),
    ("difference", "mean"): Way("The mean of the first less the second."),
    ("difference", "std"): Way("The standard deviation of the first less the second."),
    ("difference", "minimum"): Way(f"{_EXTREME}."),
    ("difference", "maximum"): Way(f"{_EXTREME}."),
    ("difference", "drift"): Way("The slope of the difference, by least squares."),
    ("lag", "lag"): Way("Where both correlate most, and from there by least squares."),
    ("latency", "count"): Way("Crossings of the first that the second answers."),
    ("latency", "mean"): Way("From the first's crossing to the second's, the mean."),
    ("latency", "jitter"): Way("The standard deviation of that."),
    ("latency", "shortest"): Way("The least of that."),
    ("latency", "longest"): Way("The most of that."),
    ("latency", "unanswered"): Way("Crossings of the first before whose successor the second does nothing."),
}  # fmt: skip
_HARMONIC = Way(
    f"{_LEAST_SQUARES}; seen folded where it lies beyond half the rate.", "", "IEEE 1241"
)
_EVENT = Way("When the board told of it, beside when design and bench say that it is due.")


def way_of(kind: str, key: str) -> Way | None:
    """How a figure of a kind of measurement is worked out."""
    if kind == "sine" and key.startswith("harmonic-"):
        return _HARMONIC
    return _EVENT if kind == "events" else WAYS.get((kind, key))


def explanation_of(measured: Measured, key: str) -> Explanation | None:
    """A figure as a formula of others of the same stretch; None where it is measured itself, or is no number."""
    way, figure = way_of(measured.kind, key), measured.figure(key)
    if way is None or not way.formula or not math.isfinite(figure.value):
        return None
    names = set(re.findall(r"[a-z_]+", way.formula))
    terms = [
        Given(one.key.replace("-", "_"), one.title, one.value, one.unit, "measured")
        for one in measured.figures
        if one.key.replace("-", "_") in names and one.key != key
    ]
    if "samples" in names:
        terms.append(Given("samples", "samples", measured.samples, "", "of the stretch"))
    if any(not math.isfinite(term.value) for term in terms):
        return None

    def write(value: object, unit: str) -> str:
        return shown(float(value), unit, 7)  # type: ignore[arg-type]

    return Explanation(figure.title, way.formula, tuple(terms), figure.unit, write, way.source)
