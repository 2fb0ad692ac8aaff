"""A stream of values over time that is read in blocks."""

from __future__ import annotations

import copy
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from types import TracebackType
from typing import Any, Self

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError

FloatArray = NDArray[np.float64]
BLOCK_SAMPLES = 1 << 18
MOST_AT_ONCE = 1 << 24
"""Samples that are given as one array."""


class Block(msgspec.Struct, frozen=True):
    """A part of a channel.

    Attributes
    ----------
    values, times_s : (n,) float64
        In the channel's unit, and seconds since the recording began.
    valid : (n,) bool
        False where data never came, or no number stood.
    codes : (n,) int64 or None
        As they were converted; None where nobody knows.
    """

    values: FloatArray
    times_s: FloatArray
    valid: NDArray[np.bool_]
    codes: NDArray[np.int64] | None = None

    def __len__(self) -> int:
        return len(self.values)

    @property
    def came(self) -> Block:
        """Without what is missing."""
        if self.valid.all():
            return self
        keep = self.valid
        codes = None if self.codes is None else self.codes[keep]
        return Block(self.values[keep], self.times_s[keep], keep[keep], codes)

    @staticmethod
    def joined(blocks: list[Block]) -> Block:
        """One after the other."""
        nothing = np.empty(0)
        if not blocks:
            return Block(nothing, nothing, np.empty(0, dtype=bool))
        codes = [block.codes for block in blocks]
        known = [part for part in codes if part is not None]
        return Block(
            np.concatenate([block.values for block in blocks]),
            np.concatenate([block.times_s for block in blocks]),
            np.concatenate([block.valid for block in blocks]),
            np.concatenate(known) if len(known) == len(codes) else None,
        )


class Channel(ABC):
    """One stream.

    Attributes
    ----------
    name, unit : str
        The unit is "" where nobody has said.
    count : int
        Samples, missing ones counted.
    rate_hz : float or None
        Where samples are evenly spaced.
    lsb, full_scale : float or None
        Of one code, and from the lowest to the highest value, in the unit.
    within : float
        By how much what measures it may be off, k = 2, the same for all samples; 0 where nobody has said.
    """

    name: str
    unit: str
    count: int
    rate_hz: float | None = None
    lsb: float | None = None
    full_scale: float | None = None
    within: float = 0.0
    progress: Callable[[float], None] = staticmethod(lambda _share: None)
    """Is told how much of a stretch has been given, 0 to 1, and may raise to end it."""

    def watched(self, progress: Callable[[float], None]) -> Self:
        """The same channel, for somebody who wants to be told how far it is."""
        other = copy.copy(self)
        other.progress = progress
        return other

    @abstractmethod
    def read(self, begin: int, end: int) -> Block:
        """Samples of some numbers."""

    @abstractmethod
    def number_at(self, time_s: float) -> int:
        """Number of the first sample that is not before an instant."""

    def numbers(self, begin_s: float | None = None, end_s: float | None = None) -> tuple[int, int]:
        """Numbers of the first sample of a stretch, and past its last."""
        begin = 0 if begin_s is None else self.number_at(begin_s)
        end = self.count if end_s is None else self.number_at(end_s)
        return begin, max(begin, end)

    def blocks(
        self, begin_s: float | None = None, end_s: float | None = None, size: int = BLOCK_SAMPLES
    ) -> Iterator[Block]:
        """A stretch in blocks of a few megabytes."""
        begin, end = self.numbers(begin_s, end_s)
        for at in range(begin, end, size):
            yield self.read(at, min(end, at + size))
            self.progress(min(1.0, (at + size - begin) / (end - begin)))

    def stretch(self, begin_s: float | None = None, end_s: float | None = None) -> Block:
        """All of a stretch at once.

        Raises
        ------
        TakeError
            Of more than 16 million samples.
        """
        begin, end = self.numbers(begin_s, end_s)
        if end - begin > MOST_AT_ONCE:
            raise TakeError(
                f"“{self.name}” has {end - begin} samples there, more than are taken at once.",
                cure=f"Choose a stretch of {MOST_AT_ONCE} or fewer.",
            )
        return Block.joined(list(self.blocks(begin_s, end_s)))


class EvenChannel(Channel):
    """Evenly spaced samples that somebody reads by number: (n,) of any number type, in any unit."""

    def __init__(
        self,
        name: str,
        unit: str,
        count: int,
        rate_hz: float,
        read: Callable[[int, int], NDArray[Any]],
        *,
        start_s: float = 0.0,
        scale: float = 1.0,
        zero: float = 0.0,
        is_coded: bool = False,
        full_scale: float | None = None,
    ) -> None:
        """A value is ``zero`` + ``scale`` · what is read, which are codes where ``is_coded``."""
        self.name, self.unit, self.count, self.rate_hz = name, unit, count, rate_hz
        self.start_s = start_s
        self._read, self._scale, self._zero, self._is_coded = read, scale, zero, is_coded
        self.lsb = abs(scale) if is_coded else None
        self.full_scale = full_scale

    def read(self, begin: int, end: int) -> Block:
        """Samples of some numbers."""
        raw = self._read(begin, end)
        assert self.rate_hz is not None
        values = np.asarray(raw, dtype=np.float64)
        values = (
            values if (self._scale, self._zero) == (1.0, 0.0) else values * self._scale + self._zero
        )
        valid = np.isfinite(values)
        codes = raw.astype(np.int64) if self._is_coded else None
        times_s = self.start_s + np.arange(begin, begin + len(values)) / self.rate_hz
        return Block(values, times_s, valid, codes)

    def number_at(self, time_s: float) -> int:
        """Number of the first sample that is not before an instant."""
        assert self.rate_hz is not None
        number = int(np.ceil((time_s - self.start_s) * self.rate_hz - 1e-6))
        return min(max(0, number), self.count)


class TimedChannel(Channel):
    """Samples with an instant each, ascending; both are read by number."""

    def __init__(
        self,
        name: str,
        unit: str,
        count: int,
        read: Callable[[int, int], NDArray[Any]],
        times: Callable[[int, int], FloatArray],
    ) -> None:
        self.name, self.unit, self.count = name, unit, count
        self._read, self._times = read, times

    def read(self, begin: int, end: int) -> Block:
        """Samples of some numbers."""
        values = np.asarray(self._read(begin, end), dtype=np.float64)
        times_s = self._times(begin, end)
        return Block(values, times_s, np.isfinite(values) & np.isfinite(times_s))

    def number_at(self, time_s: float) -> int:
        """Number of the first sample that is not before an instant."""
        low, high = 0, self.count
        while low < high:
            middle = (low + high) // 2
            if float(self._times(middle, middle + 1)[0]) < time_s:
                low = middle + 1
            else:
                high = middle
        return low


EVEN = 0.01
"""Share of the spacing by which instants may be off and still count as even."""


def even_rate_hz(times: Callable[[int, int], FloatArray], count: int) -> float | None:
    """The rate of even instants; None of others. ``times`` gives those of some numbers, (n,) float64 seconds.

    Raises
    ------
    TakeError
        Where they do not ascend.
    """
    if count < 2:
        return None
    begin, end = float(times(0, 1)[0]), float(times(count - 1, count)[0])
    spacing, before = (end - begin) / (count - 1), begin
    even = end > begin
    for at in range(0, count, BLOCK_SAMPLES):
        part = np.asarray(times(at, min(count, at + BLOCK_SAMPLES)), dtype=np.float64)
        steps = np.diff(np.concatenate(([before], part)))
        wrong = np.isnan(part) | (steps < 0)
        if wrong.any():
            raise TakeError(
                f"Its times do not ascend: number {at + int(np.argmax(wrong)) + 1} comes before the one above it.",
                cure="Say which column is the time, or the rate.",
            )
        wanted = begin + spacing * np.arange(at, at + len(part))
        even = even and bool((np.abs(part - wanted) <= EVEN * spacing).all())
        before = float(part[-1])
    return 1 / spacing if even else None


class Recording:
    """Channels of one file; close it, or use it in a ``with`` statement.

    ``notes`` say what was found, or left out, in sentences; ``format`` what the file is.
    """

    def __init__(
        self,
        title: str,
        format: str,
        channels: tuple[Channel, ...],
        notes: tuple[str, ...] = (),
        close: Callable[[], None] = lambda: None,
    ) -> None:
        self.title, self.format, self.channels, self.notes = title, format, channels, notes
        self._close = close

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        value: BaseException | None,
        traceback: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Let the file go; closing twice does nothing."""
        close, self._close = self._close, lambda: None
        close()

    def channel(self, name: str) -> Channel:
        """The channel of that name.

        Raises
        ------
        TakeError
            Where there is none.
        """
        for channel in self.channels:
            if channel.name == name:
                return channel
        known = ", ".join(channel.name for channel in self.channels[:12]) or "none"
        raise TakeError(
            f"There is no channel “{name}”.", where=self.title, cure=f"There are: {known}."
        )

    @property
    def seconds(self) -> float:
        """From the beginning to the last sample of any channel."""
        ends = [
            float(channel.read(channel.count - 1, channel.count).times_s[-1])
            for channel in self.channels
            if channel.count
        ]
        return max(ends, default=0.0)
