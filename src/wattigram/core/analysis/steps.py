"""How a stream goes from one level to another: IEEE Std 181 names what is measured."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis.estimate import Estimate

FloatArray = NDArray[np.float64]
FEWEST = 16


class StepResponse(msgspec.Struct, frozen=True):
    """A step, from the level before it to the level that it comes to.

    Attributes
    ----------
    before, after : Estimate
        Levels: means of the first eighth and of the last quarter of the record.
    at_s : Estimate
        When it was half way.
    rise_s : Estimate or None
        From a tenth to nine tenths; None where it does not come so far.
    overshoot : Estimate
        Beyond the level that it comes to, as a share of the step; 0 where noise would look alike.
    settling_s : Estimate or None
        From half way until it stays inside the band; None where it does not.
    band : float
        As a share of the step, to either side.
    """

    before: Estimate
    after: Estimate
    at_s: Estimate
    rise_s: Estimate | None
    overshoot: Estimate
    settling_s: Estimate | None
    band: float

    @property
    def height(self) -> Estimate:
        """From the level before to the level after."""
        return Estimate(
            self.after.value - self.before.value, math.hypot(self.after.sigma, self.before.sigma)
        )


def step_response(values: FloatArray, times_s: FloatArray, band: float = 0.01) -> StepResponse:
    """Of (n,) float64 values at (n,) float64 seconds that hold one step.

    Instants lie on the straight line between samples; each is uncertain by noise over slope, and by the spacing of
    samples over √12.

    Raises
    ------
    ValueError
        Of fewer than sixteen samples, or where the levels differ by less than noise.
    """
    if len(values) < FEWEST:
        raise ValueError("a step needs sixteen samples")
    first, last = values[: max(2, len(values) // 8)], values[-max(2, len(values) // 4) :]
    before, after = _level(first), _level(last)
    height = after.value - before.value
    noise = max(float(np.std(first)), float(np.std(last)))
    if abs(height) < 4 * max(before.sigma, after.sigma) or abs(height) < 2 * noise:
        raise ValueError("the levels before and after differ by less than noise does")
    course = (values - before.value) / height
    sigma = noise / abs(height)
    half = _crossing(course, times_s, 0.5, sigma)
    assert half is not None
    tenth, nine = (_crossing(course, times_s, at, sigma) for at in (0.1, 0.9))
    rise = None
    if tenth is not None and nine is not None:
        rise = Estimate(nine.value - tenth.value, math.hypot(nine.sigma, tenth.sigma))
    smooth, width = _smoothed(course, times_s, rise)
    return StepResponse(
        before,
        after,
        half,
        rise,
        _overshoot(course, smooth, width, sigma, after.sigma / abs(height)),
        _settling(smooth, times_s, band, sigma / math.sqrt(width), half),
        band,
    )


def _smoothed(
    course: FloatArray, times_s: FloatArray, rise: Estimate | None
) -> tuple[FloatArray, int]:
    """Means of a quarter of the rise, an odd number of samples, with that number: noise goes, the course stays."""
    spacing = float(np.median(np.diff(times_s)))
    width = 1 if rise is None else 2 * int(max(0.0, rise.value) / spacing / 8) + 1
    reach = width // 2
    padded = np.pad(course, reach, mode="edge")
    return np.convolve(padded, np.full(width, 1 / width), "valid"), width


def _overshoot(
    course: FloatArray, smooth: FloatArray, width: int, sigma: float, level_sigma: float
) -> Estimate:
    """Of a parabola through the values about the highest place: the highest single value has the most noise."""
    top = int(np.argmax(smooth))
    part = slice(max(0, top - width), top + width + 1)
    numbers = np.arange(part.start, min(part.stop, len(course))) - top
    over, over_sigma = float(smooth[top]) - 1, sigma / math.sqrt(width)
    if len(numbers) >= 5:
        matrix = np.stack((np.ones(len(numbers)), numbers, numbers**2), axis=1).astype(np.float64)
        found, *_ = np.linalg.lstsq(matrix, course[part], rcond=None)
        if found[2] < 0:
            over = float(found[0] - found[1] ** 2 / (4 * found[2])) - 1
            over_sigma = sigma * math.sqrt(float(np.linalg.inv(matrix.T @ matrix)[0, 0]))
    by_noise = sigma / math.sqrt(width) * math.sqrt(2 * math.log(len(course)))
    total = math.hypot(over_sigma, level_sigma)
    return Estimate(
        over if over > 2 * by_noise else 0.0, total if over > 2 * by_noise else 2 * by_noise
    )


def _level(values: FloatArray) -> Estimate:
    return Estimate(float(values.mean()), float(values.std(ddof=1)) / math.sqrt(len(values)))


def _crossing(course: FloatArray, times_s: FloatArray, at: float, sigma: float) -> Estimate | None:
    """When a level is crossed first."""
    above = course >= at
    if not above.any() or above[0]:
        return None
    place = int(np.argmax(above))
    rise = float(course[place] - course[place - 1])
    spacing = float(times_s[place] - times_s[place - 1])
    share = (at - float(course[place - 1])) / rise
    return Estimate(
        float(times_s[place - 1]) + share * spacing,
        sigma / rise * spacing if rise < 0.5 else spacing / math.sqrt(12),
    )


def _settling(
    course: FloatArray, times_s: FloatArray, band: float, sigma: float, half: Estimate
) -> Estimate | None:
    outside = np.flatnonzero(np.abs(course - 1) > band)
    if not len(outside):
        return None
    place = int(outside[-1])
    if place >= len(course) - 1:
        return None
    spacing = float(times_s[place + 1] - times_s[place])
    slope = abs(float(course[place] - course[max(0, place - 1)])) / spacing
    blur = sigma / slope if slope > 0 else spacing
    return Estimate(
        float(times_s[place]) + spacing / 2 - half.value,
        math.hypot(math.hypot(spacing / math.sqrt(12), blur), half.sigma),
    )
