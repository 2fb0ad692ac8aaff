"""Linearity of a DAC and a converter together, from a sweep over the codes."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis.regress import fit_line

FloatArray = NDArray[np.float64]
FEWEST_CODES = 8


class Linearity(msgspec.Struct, frozen=True):
    """A transfer against the straight line that fits it best.

    Offset and gain are taken independently based (least squares), as IEEE Std 1241 and 1658 define
    them;
    INL is what is left at each code, DNL how far each step is from one.

    Attributes
    ----------
    codes : (n,) int64, those that were seen
    readings : (n,) float64, mean reading at each, in LSB
    inl_lsb, dnl_lsb : (n,) and (n − 1,) float64
    offset_lsb : float, of the line at code 0
    gain_error : float, of its slope
    """

    codes: NDArray[np.int64]
    readings: FloatArray
    inl_lsb: FloatArray
    dnl_lsb: FloatArray
    offset_lsb: float
    gain_error: float
    sigma_lsb: FloatArray
    """(n,) standard error of the mean reading at each code"""

    @property
    def inl_spread_lsb(self) -> float:
        """By how much noise alone makes the worst of so many codes look worse than it is: σ ·
        sqrt(2 · ln n).

        The expected largest of n normal values; the search for the worst is biased upward by it
        (IEEE Std 1241, on
        the confidence of INL and DNL).
        """
        return self._spread(self.sigma_lsb)

    @property
    def dnl_spread_lsb(self) -> float:
        """The same of the steps, each between two codes."""
        return self._spread(np.hypot(self.sigma_lsb[1:], self.sigma_lsb[:-1]))

    @staticmethod
    def _spread(sigma_lsb: FloatArray) -> float:
        if not len(sigma_lsb):
            return 0.0
        return float(np.sqrt(np.mean(sigma_lsb**2)) * np.sqrt(2 * np.log(max(2, len(sigma_lsb)))))

    @property
    def worst_inl_lsb(self) -> float:
        return float(np.abs(self.inl_lsb).max())

    @property
    def worst_dnl_lsb(self) -> float:
        return float(np.abs(self.dnl_lsb).max(initial=0.0))


class Readings:
    """Readings by the code that was put out, gathered piece by piece: how many, their sum and
    squares about a base."""

    def __init__(self) -> None:
        self.codes = np.empty(0, dtype=np.int64)
        self.counts = np.empty(0, dtype=np.int64)
        self._sums, self._squares = np.empty(0), np.empty(0)

    def add(self, codes: NDArray[np.int64], readings: FloatArray) -> None:
        """Take in codes, (n,) int64, and readings, (n,) float64 in LSB of the same size."""
        off = readings - codes  # sums about the code itself lose no digits
        both, places = np.unique(np.concatenate((self.codes, codes)), return_inverse=True)
        known = len(self.codes)
        counts: NDArray[np.int64] = np.bincount(places[known:], minlength=len(both))
        sums: FloatArray = np.bincount(places[known:], weights=off, minlength=len(both)).astype(
            np.float64
        )
        squares: FloatArray = np.bincount(
            places[known:], weights=off * off, minlength=len(both)
        ).astype(np.float64)
        counts[places[:known]] += self.counts
        sums[places[:known]] += self._sums
        squares[places[:known]] += self._squares
        self.codes, self.counts, self._sums, self._squares = both, counts, sums, squares

    def without(self, codes: NDArray[np.int64]) -> Readings:
        """The same less those of some codes.

        ``codes`` is (n,) int64.
        """
        kept = ~np.isin(self.codes, codes)
        other = Readings()
        other.codes, other.counts = self.codes[kept], self.counts[kept]
        other._sums, other._squares = self._sums[kept], self._squares[kept]
        return other

    @property
    def means(self) -> FloatArray:
        """Mean reading of each code.

        (codes,) float64, volts.
        """
        return np.asarray(self.codes + self._sums / self.counts)

    @property
    def sigmas(self) -> FloatArray:
        """Standard error of each mean, of one pooled variance: single codes have too few readings
        for one of their own.

        (codes,) float64, volts.
        """
        squares = np.maximum(self._squares - self._sums**2 / self.counts, 0.0).sum()
        freedom = max(1, int(self.counts.sum()) - len(self.codes))
        return np.asarray(np.sqrt(squares / freedom / self.counts))


def linearity(codes: NDArray[np.int64], readings: FloatArray) -> Linearity | None:
    """Offset, gain, INL and DNL from single readings; None of fewer than eight codes.

    Parameters
    ----------
    codes : (n,) int64, what was put out at each reading
    readings : (n,) float64, in LSB of the same size
    """
    gathered = Readings()
    gathered.add(codes, readings)
    return linearity_of(gathered)


def linearity_of(readings: Readings) -> Linearity | None:
    """The same of readings that were gathered."""
    known, means = readings.codes, readings.means
    if len(known) < FEWEST_CODES:
        return None
    line = fit_line(known.astype(np.float64), means)
    steps = np.diff(means) / np.diff(known) / (line.slope or 1.0)
    return Linearity(
        known,
        means,
        np.asarray(means - (line.slope * known + line.offset)),
        np.asarray(steps - 1.0),
        line.offset,
        line.slope - 1.0,
        readings.sigmas,
    )
