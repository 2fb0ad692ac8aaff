"""Words on a serial line, bit by bit: what is read of them by a receiver with settings of its own.

A frame is a start bit (low), the data bits with the lowest first, a parity bit where there is one, and
stop bits (high). Between frames the line is high. A receiver begins at a falling edge, looks at the
middle of each bit by its own clock, and is ready for the next edge once it has looked at the first stop
bit.
"""

from __future__ import annotations

from bisect import bisect_right
from typing import Annotated, Literal

import msgspec
import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from wattigram.core.base.models import StrictModel

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
Parity = Literal["none", "even", "odd"]
PARITY_FAULT, FRAMING_FAULT = 1, 2
"""Marks of a word that does not look as its receiver expects."""


class LineFormat(StrictModel, rename=None):
    """How one end of a line is set up; a bit lasts ``bit_ticks``."""

    bit_ticks: Annotated[float, Meta(gt=0, le=1e12)]
    data_bits: Literal[7, 8, 9] = 8
    parity: Parity = "none"
    stop_bits: Literal[1, 2] = 1

    @property
    def frame_bits(self) -> int:
        """Bits of a frame with all that belongs to it."""
        return self.read_bits + self.stop_bits - 1

    @property
    def read_bits(self) -> int:
        """Bits from the start bit to the first stop bit."""
        return 2 + self.data_bits + (self.parity != "none")

    def bits_of(self, word: int) -> list[int]:
        """Levels of a frame, in the order of time."""
        data = [word >> place & 1 for place in range(self.data_bits)]
        check = [] if self.parity == "none" else [(sum(data) + (self.parity == "odd")) % 2]
        return [0, *data, *check, *[1] * self.stop_bits]


def frame_text(data_bits: int, parity: Parity, stop_bits: int) -> str:
    """A frame as it is written in the trade: 8N1."""
    return f"{data_bits}{parity[0].upper()}{stop_bits}"


class ReceivedWords(msgspec.Struct, frozen=True):
    """What a receiver has got: (n,) float64 ticks at which each word is there, (n,) int64 words and
    marks."""

    ticks: FloatArray
    words: IntArray
    faults: IntArray


def reads_alike(sends: LineFormat, hears: LineFormat) -> bool:
    """Whether each frame is read as it was sent, whatever it holds and however close frames lie."""
    if (sends.data_bits, sends.parity) != (hears.data_bits, hears.parity):
        return False
    looks = (np.arange(1, hears.read_bits) + 0.5) * hears.bit_ticks
    return bool(np.all(np.floor(looks / sends.bit_ticks) == np.arange(1, hears.read_bits)))


class LineReceiver:
    """The receiving end; frames are fed to it in the order of time.

    Parameters
    ----------
    sends, hears : settings of the two ends
    keeps_faulty : a word with a wrong parity or stop bit is given all the same
    """

    def __init__(self, sends: LineFormat, hears: LineFormat, *, keeps_faulty: bool) -> None:
        self._sends, self._hears = sends, hears
        self._keeps_faulty = keeps_faulty
        self._is_alike = reads_alike(sends, hears)
        self._ready = -np.inf
        """When it begins to look for the next edge."""
        self._begins: list[float] = []
        """Of frames that it may still look at."""
        self._frames: list[list[int]] = []
        self._begun: FloatArray = np.empty(0)
        self._words: IntArray = np.empty(0, dtype=np.int64)

    def feed(self, ticks: FloatArray, words: IntArray) -> None:
        """Frames that begin at given ticks, (n,) float64 in order, with their words, (n,) int64."""
        sent = np.asarray(words, dtype=np.int64) & (1 << self._sends.data_bits) - 1
        if self._is_alike:
            self._begun = np.concatenate((self._begun, ticks))
            self._words = np.concatenate((self._words, sent))
            return
        self._begins += ticks.tolist()
        self._frames += [self._sends.bits_of(word) for word in sent.tolist()]

    def take(self, until: float) -> ReceivedWords:
        """Words that are there before ``until``; all frames that begin before then have been fed."""
        if not self._is_alike:
            return self._looked(until)
        there = self._begun + self._hears.read_bits * self._hears.bit_ticks
        ready = int(np.searchsorted(there, until))
        taken = ReceivedWords(there[:ready], self._words[:ready], np.zeros(ready, dtype=np.int64))
        self._begun, self._words = self._begun[ready:], self._words[ready:]
        return taken

    def _level(self, at: float) -> int:
        """The line at an instant."""
        frame = bisect_right(self._begins, at) - 1
        if frame < 0:
            return 1
        bit = int((at - self._begins[frame]) / self._sends.bit_ticks)
        bits = self._frames[frame]
        return bits[bit] if bit < len(bits) else 1

    def _falls(self) -> float | None:
        """The next falling edge after it is ready."""
        first = max(0, bisect_right(self._begins, self._ready) - 1)
        for begin, bits in zip(self._begins[first:], self._frames[first:], strict=True):
            for place, level in enumerate(bits):
                at = begin + place * self._sends.bit_ticks
                is_fall = level == 0 and (place == 0 or bits[place - 1] == 1)
                if is_fall and at >= self._ready:
                    return at
        return None

    def _looked(self, until: float) -> ReceivedWords:
        hears = self._hears
        found: list[tuple[float, int, int]] = []
        while (edge := self._falls()) is not None:
            there = edge + hears.read_bits * hears.bit_ticks
            if there >= until:
                break
            looks = [
                self._level(edge + (bit + 0.5) * hears.bit_ticks) for bit in range(hears.read_bits)
            ]
            if looks[0]:  # too short for a start bit
                self._ready = edge + 0.5 * hears.bit_ticks
                continue
            self._ready = edge + (hears.read_bits - 0.5) * hears.bit_ticks
            word = sum(level << bit for bit, level in enumerate(looks[1 : 1 + hears.data_bits]))
            faults = 0 if looks[-1] else FRAMING_FAULT
            if looks[:-1] != hears.bits_of(word)[: hears.read_bits - 1]:
                faults |= PARITY_FAULT
            if not faults or self._keeps_faulty:
                found.append((there, word, faults))
        done = bisect_right(
            self._begins,
            min(self._ready, until) - 2 * self._sends.frame_bits * self._sends.bit_ticks,
        )
        del self._begins[:done], self._frames[:done]
        ticks, words, marks = zip(*found, strict=True) if found else ((), (), ())
        return ReceivedWords(
            np.array(ticks, dtype=np.float64),
            np.array(words, dtype=np.int64),
            np.array(marks, dtype=np.int64),
        )
