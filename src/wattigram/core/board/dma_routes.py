"""Routes: what DMA moves from one peripheral to another, and what becomes of it there, write by
write."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.other_boards import OtherBoard
from wattigram.core.board.sink_trace import SinkTrace
from wattigram.core.board.wire_words import WireWords
from wattigram.core.contract.board_config import EffectiveConfig, EffectiveRoute
from wattigram.core.contract.link import OVERWRITTEN, TORN

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
_NONE_F: FloatArray = np.empty(0)
_NONE_I: IntArray = np.empty(0, dtype=np.int64)


class DmaRoute:
    """One route; results are fed to it, and it tells what its sink saw until then."""

    def __init__(
        self, config: EffectiveConfig, number: int, boards: Sequence[OtherBoard] = ()
    ) -> None:
        self.route: EffectiveRoute = config.routes[number]
        self.sink = _sink(self.route)
        self._arrived_ticks: FloatArray = _NONE_F
        self._arrived: IntArray = _NONE_I
        self._last_value = 0
        self._transfers = 0
        wire = self.route.wire
        self._wire = (
            WireWords(config.wires[wire], boards, config.tick_hz) if wire is not None else None
        )
        self._timed = 0
        self._pieces_out = 0
        self.observed = 0

    def feed(self, ticks: FloatArray, codes: IntArray, places: IntArray) -> None:
        """Results of the source's converter, as they get ready, with the slot that each comes
        from.

        All three are (n,): ticks as float64, codes and places as int64.
        """
        if self.route.place is not None:
            mine = places == self.route.place
            ticks, codes = ticks[mine], codes[mine]
        self._arrived_ticks = np.concatenate((self._arrived_ticks, ticks))
        self._arrived = np.concatenate((self._arrived, codes & 0xFFFF))

    def advance(self, until: float) -> SinkTrace:
        """Everything that happens before ``until``."""
        self._receive(until)
        route = self.route
        if route.on == "destination":
            return self._pulled(until)
        if route.on == "timer":
            ticks, values = self._at_timer(until)
        else:
            ready = int(np.searchsorted(self._arrived_ticks, until))
            ticks, values = self._arrived_ticks[:ready], self._arrived[:ready]
            self._forget(ready)
        return self.sink.take(*self._writes(ticks, values), until)

    def _receive(self, until: float) -> None:
        """Words from the wire, where that is the source."""
        if self._wire is None:
            return
        came = self._wire.take(until)
        self._arrived_ticks = np.concatenate((self._arrived_ticks, came.ticks))
        self._arrived = np.concatenate((self._arrived, came.words))

    def _forget(self, count: int) -> None:
        if count:
            self._last_value = int(self._arrived[count - 1])
        self._arrived_ticks, self._arrived = self._arrived_ticks[count:], self._arrived[count:]

    def _current(self, ticks: FloatArray) -> IntArray:
        """What the source's register holds at given instants."""
        places = np.searchsorted(self._arrived_ticks, ticks, side="right") - 1
        held = (
            self._arrived[np.maximum(places, 0)]
            if len(self._arrived)
            else np.zeros(len(ticks), dtype=np.int64)
        )
        return np.where(places >= 0, held, self._last_value)

    def _at_timer(self, until: float) -> tuple[FloatArray, IntArray]:
        route = self.route
        end = int(np.ceil(until / route.timer_ticks))
        numbers = np.arange(self._timed, max(self._timed, end))
        self._timed = max(self._timed, end)
        ticks = np.asarray(numbers * route.timer_ticks, dtype=np.float64)
        if route.codes:
            return ticks, np.array(route.codes, dtype=np.int64)[numbers % len(route.codes)]
        values = self._current(ticks)
        self._forget(int(np.searchsorted(self._arrived_ticks, until)))
        return ticks, values

    def _writes(self, ticks: FloatArray, values: IntArray) -> tuple[FloatArray, IntArray, IntArray]:
        """Ticks, place in the sink's register, and what is written there, of the transfers that
        triggers start."""
        route = self.route
        count = len(ticks)
        if self._wire is not None and route.on == "source":
            part = (self._transfers + np.arange(count)) % route.items
            self._transfers += count
            place = part if route.low_first else route.items - 1 - part
            read = values & (1 << route.source_bits) - 1
            return ticks + route.transfer_ticks, place * route.step, read & route.sink_mask
        if route.items == 1:
            return (
                ticks + route.transfer_ticks,
                np.zeros(count, dtype=np.int64),
                self._piece(values, 0),
            )
        parts = np.arange(route.items)
        order = parts if route.low_first else parts[::-1]
        at = ticks[:, None] + (parts + 1)[None, :] * route.transfer_ticks
        pieces = np.stack([self._piece(values, int(part)) for part in order], axis=1).reshape(-1)
        places = (
            np.tile(order * route.step, count)
            if route.wide_sink
            else np.zeros(count * route.items, dtype=np.int64)
        )
        return at.ravel(), places, pieces

    def _piece(self, values: IntArray, part: int) -> IntArray:
        """What one transfer reads of a value, and what of that the write keeps."""
        route = self.route
        moved = part * route.step * route.source_bits if route.items > 1 else 0
        return (values >> moved) & ((1 << route.source_bits) - 1) & route.sink_mask

    def _pulled(self, until: float) -> SinkTrace:
        """The sink asks: at each byte that has left a UART, or each period of a timer."""
        route = self.route
        asked = self.sink.asks(until)
        part = (self._pieces_out + np.arange(len(asked))) % route.items
        self._pieces_out += len(asked)
        values = self._current(asked)
        order = part if route.low_first else route.items - 1 - part
        moved = (
            order * route.step * route.source_bits
            if route.items > 1
            else np.zeros(len(asked), dtype=np.int64)
        )
        pieces = (values >> moved) & ((1 << route.source_bits) - 1) & route.sink_mask
        self._forget(int(np.searchsorted(self._arrived_ticks, until)))
        places = order * route.step if route.wide_sink else np.zeros(len(asked), dtype=np.int64)
        return self.sink.take(asked, places, pieces, until)


class SerialSink:
    """A UART: a byte is shifted out while ``waiting`` more have room; the newest replaces the last
    of them."""

    def __init__(self, route: EffectiveRoute) -> None:
        self._byte_ticks = route.byte_ticks
        self._room = route.waiting
        self._free = 0.0
        self._queue: list[tuple[float, int]] = []
        self._asked = 0

    def asks(self, until: float) -> FloatArray:
        """One request for each byte that has left.

        (n,) float64, ticks.
        """
        end = int(np.ceil(until / self._byte_ticks))
        numbers = np.arange(self._asked, max(self._asked, end))
        self._asked = max(self._asked, end)
        return np.asarray(numbers * self._byte_ticks, dtype=np.float64)

    def take(
        self, ticks: FloatArray, places: IntArray, values: IntArray, until: float
    ) -> SinkTrace:
        """Bytes that were written; what is sent is told with the moment at which it begins.

        ``ticks``, ``places`` and ``values`` are (n,).
        """
        out_ticks: list[float] = []
        out: list[int] = []
        queue, byte_ticks = self._queue, self._byte_ticks
        free = self._free
        for at, value in zip(ticks.tolist(), values.tolist(), strict=True):
            while queue and free <= at:
                begun, sent = queue.pop(0)
                start = max(free, begun)
                out_ticks.append(start)
                out.append(sent)
                free = start + byte_ticks
            if not queue and free <= at:
                out_ticks.append(at)
                out.append(value)
                free = at + byte_ticks
            elif len(queue) < self._room:
                queue.append((at, value))
            else:
                out_ticks.append(at)
                out.append(queue[-1][1] | OVERWRITTEN)
                queue[-1] = (at, value)
        while queue and free < until:
            begun, sent = queue.pop(0)
            start = max(free, begun)
            out_ticks.append(start)
            out.append(sent)
            free = start + byte_ticks
        self._free = free
        return _seen(out_ticks, out)


class RegisterSink:
    """A register of a timer or DAC, filled in pieces; with preload it takes effect at the next
    period only."""

    def __init__(self, route: EffectiveRoute) -> None:
        self._route = route
        self._period = route.period_ticks
        self._varies = route.sink == "period"
        self._boundary = 0.0
        self._value = route.initial
        self._loads = route.initial
        """What takes effect next: the value as it is written, or the last whole one."""
        self._written = 0
        self._since = False
        self._complete: list[tuple[float, int]] = []
        self._asked = 0.0
        self._waiting: tuple[FloatArray, IntArray, IntArray] = (_NONE_F, _NONE_I, _NONE_I)

    def asks(self, until: float) -> FloatArray:
        """One request for each period.

        (n,) float64, ticks.
        """
        numbers = np.arange(np.ceil(self._asked / self._period), np.ceil(until / self._period))
        self._asked = max(self._asked, until)
        return np.asarray(numbers * self._period, dtype=np.float64)

    def take(
        self, ticks: FloatArray, places: IntArray, values: IntArray, until: float
    ) -> SinkTrace:
        """Writes, and what takes effect of them before ``until``.

        ``ticks``, ``places`` and ``values`` are (n,).
        """
        out_ticks: list[float] = []
        out: list[int] = []
        rows = [
            np.concatenate(pair)
            for pair in zip(self._waiting, (ticks, places, values), strict=True)
        ]
        ready = int(np.searchsorted(rows[0], until))
        self._waiting = (rows[0][ready:], rows[1][ready:], rows[2][ready:])
        width = self._route.sink_bits
        mask = (1 << width) - 1
        for at, place, value in zip(*(row[:ready].tolist() for row in rows), strict=True):
            self._load(at, out_ticks, out)
            shift = int(place) * width
            self._value = (self._value & ~(mask << shift) | int(value) << shift) & 0xFFFFFF
            self._written += 1
            whole = self._written % self._route.items == 0
            if whole or not self._route.whole:
                self._since = True
                self._loads = self._value
            if not self._route.preload:
                out_ticks.append(at)
                out.append(self._value | (0 if whole else TORN))
            elif whole:
                self._complete.append((at, self._value))
        self._load(until, out_ticks, out)
        return _seen(out_ticks, out)

    def _load(self, until: float, out_ticks: list[float], out: list[int]) -> None:
        """The register takes effect at each boundary before ``until`` that has something new."""
        if not self._route.preload:
            return
        if not self._varies:
            if self._boundary < until:
                first = self._boundary
                self._boundary = float(np.ceil(until / self._period)) * self._period
                if self._since:
                    self._effect(first, out_ticks, out)
            return
        while self._boundary < until:
            if self._since:
                self._effect(self._boundary, out_ticks, out)
            self._boundary += (self._loads + 1) * self._route.count_ticks

    def _effect(self, at: float, out_ticks: list[float], out: list[int]) -> None:
        torn = self._written % self._route.items != 0 and not self._route.whole
        for begun, value in self._complete if torn else self._complete[:-1]:
            out_ticks.append(begun)
            out.append(value | OVERWRITTEN)
        self._complete.clear()
        out_ticks.append(at)
        out.append(self._loads | (TORN if torn else 0))
        self._since = False


def _seen(ticks: list[float], values: list[int]) -> SinkTrace:
    return SinkTrace(np.rint(np.array(ticks)).astype(np.int64), np.array(values, dtype=np.int64))


def _sink(route: EffectiveRoute) -> SerialSink | RegisterSink:
    return SerialSink(route) if route.sink == "send" else RegisterSink(route)
