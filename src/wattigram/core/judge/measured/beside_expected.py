"""A stretch of a take beside what its design expects, sample by sample."""

from __future__ import annotations

import math
from collections.abc import Callable

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis import Estimate, StatisticsGatherer
from wattigram.core.base.quantity import format_si
from wattigram.core.capture.recording.from_take import TakeChannel
from wattigram.core.judge.compared_streams import Compared, compared
from wattigram.core.judge.measured.figures import Figure
from wattigram.core.judge.measured.wanted import CURVE_POINTS
from wattigram.core.predict.expected import BAND_SIGMAS

BLOCK = 1 << 16
NO_NOISE_V = 1e-15
FloatArray = NDArray[np.float64]


class Beside(msgspec.Struct, frozen=True):
    """What came of it.

    Attributes
    ----------
    begin_s, end_s : float
    samples, missing : int
    figures, notes : tuple
    curve : dict of str → list of float
        ``at_s``, ``difference`` (of each of at most 4096 parts the one that is farthest from zero) and ``band``.
    """

    begin_s: float
    end_s: float
    samples: int
    missing: int
    figures: tuple[Figure, ...]
    notes: tuple[str, ...]
    curve: dict[str, list[float]]


class _Farthest:
    """Of each part of a stretch the difference that is farthest from zero, and when it was."""

    def __init__(self, count: int) -> None:
        self._count, self._parts = count, min(count, CURVE_POINTS)
        self._values = np.full(self._parts, np.nan)
        self._times_s = np.full(self._parts, np.nan)

    def add(self, numbers: NDArray[np.int64], apart: FloatArray, times_s: FloatArray) -> None:
        """Differences of samples ``numbers``, counted from the stretch's first."""
        parts = numbers * self._parts // self._count
        order = np.lexsort((np.abs(apart), parts))
        last = np.flatnonzero(np.diff(parts[order], append=-1))
        mine, at = parts[order][last], order[last]
        is_farther = ~(np.abs(apart[at]) <= np.abs(self._values[mine]))  # not a number is nearest
        self._values[mine[is_farther]] = apart[at][is_farther]
        self._times_s[mine[is_farther]] = times_s[at][is_farther]

    def lists(self) -> tuple[list[float], list[float]]:
        """Times and differences of parts that hold any."""
        held = np.isfinite(self._values)
        return self._times_s[held].tolist(), self._values[held].tolist()


def comparable(channel: TakeChannel) -> Callable[[int, int], Compared]:
    """What gives samples ``begin`` to ``end`` of a channel beside what is expected of them.

    Raises
    ------
    ValueError
        Where nothing is expected of it.
    """
    take, name = channel.take, channel.signal.name
    chain = take.workspace.project.chain_of(name)
    assert chain is not None
    unforeseen = take.unforeseen(name)
    if unforeseen:
        raise ValueError(unforeseen)

    def compare(begin: int, end: int) -> Compared:
        both = compared(take, chain, name, begin, end, channel.filtered)
        assert both is not None  # the channel has samples
        return both

    return compare


def beside_expected(channel: TakeChannel, begin_s: float | None, end_s: float | None) -> Beside:
    """Captured less what a settled, noiseless reading would be, and how much of it lies inside the expected band.

    Raises
    ------
    ValueError
        Where nothing is expected of it, or nothing came.
    """
    compare = comparable(channel)
    begin, end = channel.numbers(begin_s, end_s)
    apart_of, inside_of, due = StatisticsGatherer(), StatisticsGatherer(), _Due()
    farthest = _Farthest(max(1, end - begin))
    samples = outside = 0
    beyond_v = band_v = 0.0
    times: list[float] = []
    for at in range(begin, end, BLOCK):
        channel.progress((at - begin) / (end - begin))
        both = compare(at, min(at + BLOCK, end))
        if not both.samples.valid.any():
            continue
        valid = both.samples.valid
        apart, times_s = both.error_v, both.samples.times_s[valid]
        band_v = both.expected.half_width_v
        far = both.beyond_v[valid]
        samples, outside = samples + len(apart), outside + int(np.count_nonzero(far > 0))
        beyond_v = max(beyond_v, float(far.max()))
        apart_of.add(apart, times_s)
        inside_of.add((far <= 0).astype(np.float64), times_s)
        farthest.add(np.flatnonzero(valid) + at - begin, apart, times_s)
        due.add(both)
        times = [times[0] if times else float(times_s[0]), float(times_s[-1])]
    found, inside = apart_of.result, inside_of.result
    if found is None or inside is None:
        raise ValueError("nothing came in that stretch")
    figures = (
        Figure.of(
            "inside", "Inside what is expected", _share(inside.mean, samples), "%", due.inside
        ),
        Figure("outside", "Samples outside", float(outside), 0.0, ""),
        Figure("farthest", "Farthest outside", beyond_v, 0.0, "V"),
        Figure.of("mean-apart", "Captured less expected, mean", found.mean, "V", due.mean_v),
        Figure.of("rms-apart", "Captured less expected, rms", found.rms, "V", due.rms_v),
    )
    notes = (
        f"Expected is a settled reading without noise, ± {format_si(band_v, 'V', 3)}: {BAND_SIGMAS:g} times the "
        "noise, and the part's accuracy. Predicted counts in what does not settle, and the noise.",
    )
    at_s, difference = farthest.lists()
    curve = {"at_s": at_s, "difference": difference, "band": [band_v] * len(at_s)}
    missing = end - begin - samples
    return Beside(times[0], times[1], samples, missing, figures, notes, curve)


def _share(found: Estimate, count: int) -> Estimate:
    """In percent. No sample outside does not tell that none ever will be: at least as unsure as one more of each
    would leave it (rule of succession)."""
    outside = (count * (1 - found.value) + 1) / (count + 2)
    least = math.sqrt(outside * (1 - outside) / count)
    return Estimate(found.value, max(found.sigma, least)).scaled(100)


class _Due:
    """What the design predicts of the differences themselves."""

    def __init__(self) -> None:
        self._count = 0
        self._sum = self._squares = self._inside = 0.0

    def add(self, both: Compared) -> None:
        """A block."""
        from scipy.special import erf  # late: a tenth of a second that only this costs

        expected = both.expected
        error_v, band_v = expected.error_v[both.samples.valid], expected.half_width_v
        noise_v = max(expected.noise_v, NO_NOISE_V)
        self._count += len(error_v)
        self._sum += float(error_v.sum())
        self._squares += float((error_v**2).sum()) + noise_v**2 * len(error_v)
        scale = math.sqrt(2) * noise_v
        share = (erf((band_v - error_v) / scale) - erf((-band_v - error_v) / scale)) / 2
        self._inside += float(share.sum())

    @property
    def inside(self) -> float:
        """Share inside, percent."""
        return 100 * self._inside / self._count

    @property
    def mean_v(self) -> float:
        """Of what does not settle."""
        return self._sum / self._count

    @property
    def rms_v(self) -> float:
        """Of that and the noise."""
        return math.sqrt(self._squares / self._count)
