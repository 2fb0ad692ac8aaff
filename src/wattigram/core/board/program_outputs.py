"""What the program moves: port pins, registers of timers and DACs, serial ports; and the streams
that show it."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator

import numpy as np

from wattigram.core.board.live_pins import LivePins
from wattigram.core.board.sink_trace import SinkTrace
from wattigram.core.contract.board_config import EffectiveConfig, EffectiveOutput
from wattigram.core.contract.link import OVERWRITTEN


class OutputTrace:
    """What became of one output, row by row in the order of time."""

    def __init__(self, output: EffectiveOutput) -> None:
        self.output = output
        self.ticks: list[int] = []
        self.values: list[int] = []
        self.observed = 0
        """Rows that have been taken."""

    def add(self, tick: int, value: int) -> None:
        """One more row, not before the last."""
        self.ticks.append(tick)
        self.values.append(value)

    def take(self, until: int) -> SinkTrace:
        """Rows before ``until``, which are then gone."""
        count = len(self.ticks)
        while count and self.ticks[count - 1] >= until:
            count -= 1
        taken = SinkTrace(
            np.array(self.ticks[:count], dtype=np.int64),
            np.array(self.values[:count], dtype=np.int64),
        )
        del self.ticks[:count], self.values[:count]
        return taken


class SerialLine:
    """A serial port that the program feeds from a ring of ``room_bytes``."""

    def __init__(self, trace: OutputTrace) -> None:
        self._trace = trace
        self._free = 0.0
        self._waiting: deque[float] = deque()
        """When each byte begins to leave that has not begun yet."""
        self.dropped = 0
        """Texts that found no room."""

    def send(self, at: float, data: bytes) -> None:
        """A text leaves as soon as it can; one that does not fit is dropped as a whole."""
        while self._waiting and self._waiting[0] <= at:
            self._waiting.popleft()
        # The port itself has the byte that leaves and one more.
        if max(0, len(self._waiting) - 1) + len(data) > self._trace.output.room_bytes:
            self.dropped += 1
            return
        byte_ticks = self._trace.output.byte_ticks
        mask = (1 << self._trace.output.word_bits) - 1
        for value in data:
            start = max(at, self._free)
            self._waiting.append(start)
            self._trace.add(round(start), value & mask)
            self._free = start + byte_ticks


class ProgramOutputs:
    """All that the program moves. Pins that it moves are live: whoever samples them sees it."""

    def __init__(self, config: EffectiveConfig, live: LivePins) -> None:
        self._live = live
        self.traces = [OutputTrace(output) for output in config.outputs]
        self.serial = {
            trace.output.name: SerialLine(trace)
            for trace in self.traces
            if trace.output.kind == "uart"
        }
        self.levels = {port.pin: port.is_high for port in config.ports}
        for trace in self.traces:
            if trace.output.kind == "pins":
                trace.add(0, self._shown(trace.output))
            elif trace.output.kind == "input":
                trace.add(0, trace.output.level)
        self._pointed = {
            number: trace.output.level
            for number, trace in enumerate(self.traces)
            if trace.output.kind == "input"
        }

    def _shown(self, output: EffectiveOutput) -> int:
        """Levels of an output's pins, the first the lowest bit."""
        return sum(self.levels.get(pin, False) << bit for bit, pin in enumerate(output.pins))

    def set_pins(self, at: float, levels: dict[str, bool]) -> None:
        """Port pins change together."""
        changed = {pin for pin, level in levels.items() if self.levels.get(pin) != level}
        if not changed:
            return
        self.levels |= levels
        for pin in changed:
            self._live.set_level(pin, at, levels[pin])
        tick = round(at)
        for trace in self.traces:
            if trace.output.kind == "pins" and changed & set(trace.output.pins):
                if trace.ticks and trace.ticks[-1] == tick:
                    trace.values[-1] = self._shown(trace.output)
                else:
                    trace.add(tick, self._shown(trace.output))

    def write(self, number: int, at: float, value: int) -> None:
        """A register gets a number; where it has a second one, it takes effect with the next
        period."""
        output = self.traces[number].output
        effect = at
        if output.modulo:
            # A period is counted from 1, and its register from 0.
            first = 1 if output.kind == "pulse-period" else 0
            value = (value - first) % output.modulo + first
        if output.pins:
            effect = self._live.write(output.kind, output.pins[0], at, value)
        self.show(number, at, effect, value)

    def point(self, number: int, at: float, channel: int) -> bool:
        """Slots are pointed to a channel; whether that is another one than before."""
        if self._pointed[number] == channel:
            return False
        self._pointed[number] = channel
        self.traces[number].add(round(at), channel)
        return True

    def show(self, number: int, at: float, effect: float, value: int) -> None:
        """A register was written, and takes effect later; one written again before had no
        effect."""
        trace = self.traces[number]
        tick = round(effect)
        if trace.ticks and trace.ticks[-1] == tick and tick > round(at):
            trace.values[-1] |= OVERWRITTEN
        trace.add(tick, value)

    def take(self, until: int) -> Iterator[tuple[OutputTrace, SinkTrace]]:
        """What happened before ``until``, output by output."""
        for trace in self.traces:
            yield trace, trace.take(until)
