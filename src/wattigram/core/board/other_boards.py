"""Boards of other projects on the same time line: what leaves them comes over wires to this one."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Iterable, Iterator
from typing import Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.output_waveforms import Wire
from wattigram.core.board.sink_trace import SinkTrace
from wattigram.core.contract.board_config import EffectiveConfig
from wattigram.core.contract.link import OVERWRITTEN, TORN

FloatArray = NDArray[np.float64]
AHEAD_S = 0.01
"""So much of the other board is worked out at once."""


class OtherRun(Protocol):
    """A board that runs for another."""

    def advance(self, ticks: int) -> object:
        """Run until then."""
        ...

    def course(self, pin: str, poles_s: tuple[float, ...]) -> Wire:
        """What a wire from one of its pins carries behind low-passes."""
        ...


class Hearing:
    """What one listener has of a serial port and has not taken yet: seconds and words."""

    def __init__(self) -> None:
        self.waiting: deque[tuple[float, int]] = deque()

    def take(self, until_s: float) -> list[tuple[float, int]]:
        """Words that begin before ``until_s``."""
        taken = []
        while self.waiting and self.waiting[0][0] < until_s:
            taken.append(self.waiting.popleft())
        return taken


class OtherBoard:
    """One other board; it is brought up to the instants that are asked for, and never back.

    Parameters
    ----------
    ports : streams of what leaves each of its serial ports
    word_s : where it hears the listener in turn, how long its shortest word lasts: what it has begun less
        than that before nobody has heard yet. None where it hears nothing of the listener.
    """

    def __init__(
        self,
        run: OtherRun,
        tick_hz: int,
        ports: Iterable[tuple[int, str]],
        word_s: float | None = None,
    ) -> None:
        self._run = run
        self._tick_hz = tick_hz
        self._word_s = word_s
        self._ports = dict(ports)
        self._hearings: list[tuple[str, Hearing]] = []
        self._reached_s = 0.0

    def listen(self, uart: str) -> Hearing:
        """Hear what leaves a serial port from now on."""
        hearing = Hearing()
        self._hearings.append((uart, hearing))
        return hearing

    def reach(self, seconds: float) -> None:
        """Work it out up to an instant at least."""
        if seconds > self._reached_s:
            self._reached_s = seconds
            if self._word_s is None:
                self._reached_s = math.ceil(seconds / AHEAD_S) * AHEAD_S
            self._run.advance(math.ceil(self._reached_s * self._tick_hz))

    def hear(self, seconds: float) -> None:
        """Work it out as far as words of it can have been heard until then."""
        self.reach(seconds - (self._word_s or 0.0))

    def left(self, stream: int, seen: SinkTrace) -> None:
        """Something has left it."""
        uart = self._ports.get(stream)
        mine = [hearing for name, hearing in self._hearings if name == uart]
        if uart is None or not mine:
            return
        for at, value in _sent(seen):
            for hearing in mine:
                hearing.waiting.append((at / self._tick_hz, value))

    def course(self, pin: str, poles_s: tuple[float, ...]) -> Wire:
        """What a wire from one of its pins carries, worked out as far as it is looked at."""
        return _Reaching(self, self._run.course(pin, poles_s))


class CallingBoard(OtherBoard):
    """The board that hears the one that this is a board of: what has left it until now is there already."""

    def reach(self, seconds: float) -> None:
        """Nothing: it comes there by itself."""

    def course(self, pin: str, poles_s: tuple[float, ...]) -> Wire:
        """What a wire from one of its pins carries, as far as it has come."""
        return self._run.course(pin, poles_s)


class BothWays(msgspec.Struct, frozen=True):
    """Two boards that hear each other.

    Attributes
    ----------
    word_s : the shortest word that comes from the other board; None where none does
    step_s : how far one may go before the other has to follow: what leaves either is heard no sooner
    """

    word_s: float | None
    step_s: float


def both_ways(config: EffectiveConfig, number: int) -> BothWays | None:
    """How a board and its other board ``number`` hear each other; None where that does not hear it."""
    other = config.boards[number]
    back = next((place for place, one in enumerate(other.boards) if one.is_caller), None)
    if back is None:
        return None
    comes, goes = _word_s(config, number), _word_s(other, back)
    if _looks_at(config, number):
        step_s = goes
    elif _looks_at(other, back):
        step_s = comes
    else:
        step_s = None if comes is None or goes is None else comes + goes
    return None if step_s is None else BothWays(comes, step_s)


def _word_s(config: EffectiveConfig, number: int) -> float | None:
    """The shortest word that comes from another board, from its start bit to its first stop bit."""
    lasting = [
        (wire.sends.read_bits - 1) * wire.sends.bit_ticks / config.tick_hz
        for wire in config.wires
        if wire.board == number
    ]
    return min(lasting, default=None)


def _looks_at(config: EffectiveConfig, number: int) -> bool:
    return any(
        drive.shape == "board" and drive.board == number for drive in config.bench.pins.values()
    )


class _Reaching:
    def __init__(self, board: OtherBoard, wire: Wire) -> None:
        self._board = board
        self._wire = wire

    def at(self, times_s: FloatArray) -> FloatArray:
        """Voltage at given instants."""
        times_s = np.asarray(times_s, dtype=np.float64)
        if times_s.size:
            self._board.reach(float(times_s.max()))
        return self._wire.at(times_s)


def _sent(seen: SinkTrace) -> Iterator[tuple[int, int]]:
    """Ticks and words of what was sent; what was overwritten before it began never was."""
    for at, value in zip(seen.ticks.tolist(), seen.values.tolist(), strict=True):
        if not value & OVERWRITTEN:
            yield at, value & ~TORN
