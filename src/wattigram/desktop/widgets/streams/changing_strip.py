"""Strips of what stands until it changes: outputs, registers, port pins, and bytes on a wire as text."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.recording import Block
from wattigram.core.capture.recording.changes import Changing, output_changes
from wattigram.core.capture.session.live_run import LiveRun
from wattigram.core.capture.take import Take
from wattigram.core.contract.link import OUTPUT_STREAM
from wattigram.core.model.design import Project, UartDestination, program_outputs

FloatArray = NDArray[np.float64]
Course = tuple[FloatArray, FloatArray]
"""Instants, and the values from each of them on."""
Kind = Literal["wire", "word", "text"]
STAGE = "output"
LONGEST_PAUSE = 3.0
"""Of the usual time from byte to byte; after a longer one another text begins."""


class ChangingStrip:
    """Something that has a value from each instant on; of ``text`` the values are bytes that were sent."""

    unit = ""
    stage = STAGE
    rate_hz = 1.0
    step: float | None = None
    missing_s: tuple[tuple[float, float], ...] = ()

    def __init__(
        self,
        name: str,
        kind: Kind,
        index: int,
        course: Callable[[], Course],
        end_s: Callable[[], float],
    ) -> None:
        """``end_s`` tells until when the last value is known to stand."""
        self.name, self.kind, self.index = name, kind, index
        self._course, self._end_s = course, end_s

    @property
    def weight(self) -> float:
        """How high its strip is, beside those of signals."""
        return 1.0 if self.kind == "word" else 0.55

    @property
    def count(self) -> int:
        """Changes."""
        return len(self._course()[0])

    def span(self) -> tuple[float, float]:
        """Lowest and highest value."""
        values = self._course()[1]
        if self.kind != "word" or not len(values):
            return 0.0, 1.0
        return float(values.min()), float(values.max())

    def number_at(self, seconds: float) -> int:
        """The change that holds at an instant."""
        return max(0, int(np.searchsorted(self._course()[0], seconds, side="right")) - 1)

    def samples(self, begin: int, end: int) -> Block:
        """Changes of some numbers."""
        times, values = self._course()
        part = values[begin:end]
        return Block(part, times[begin:end], np.isfinite(part), part.astype(np.int64))

    def columns(
        self, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """The course with upright edges; extremes of columns where it changes more often than that."""
        times, values = self._course()
        nothing = np.empty(0), np.empty(0), np.empty(0)
        if self.kind == "text" or not len(times):
            return nothing
        first = max(0, int(np.searchsorted(times, begin_s, side="right")) - 1)
        last = int(np.searchsorted(times, end_s))
        until_s = min(end_s, max(self._end_s(), float(times[-1])))
        if last <= first or until_s <= times[first]:
            return nothing
        if last - first > count:
            edges = np.linspace(max(begin_s, float(times[first])), until_s, count + 1)
            places = np.clip(np.searchsorted(times, edges[:-1], side="right") - 1, first, last - 1)
            low = np.minimum.reduceat(values[:last], places)
            high = np.maximum.reduceat(values[:last], places)
            return (edges[:-1] + edges[1:]) / 2, low, high
        at = np.repeat(np.append(times[first:last], until_s), 2)[1:-1]
        at[0] = max(at[0], begin_s)
        stood = np.repeat(values[first:last], 2)
        return at, stood, stood

    def text_at(self, seconds: float) -> str:
        """What stands at an instant, for people."""
        times, values = self._course()
        if self.kind == "text":
            before = [line for at_s, line in self.texts(seconds - 60.0, seconds)]
            return f"“{before[-1]}”" if before else "nothing sent"
        if not len(times) or seconds < times[0]:
            return "not known"
        value = int(values[self.number_at(seconds)])
        if self.kind == "wire":
            return "high" if value else "low"
        return f"{value} · 0x{value:X}"

    def texts(self, begin_s: float, end_s: float) -> Iterator[tuple[float, str]]:
        """Lines that were sent, each with the instant of its first byte."""
        times, values = self._course()
        if self.kind != "text" or not len(times):
            return
        first, last = np.searchsorted(times, [begin_s, end_s])
        steps = np.diff(times)
        usual_s = float(np.median(steps[-4096:])) if len(steps) else 0.0
        # back to where the line began that the stretch cuts
        while first > 0 and values[first - 1] != 10 and steps[first - 1] <= LONGEST_PAUSE * usual_s:
            first -= 1
        line, at_s = bytearray(), 0.0
        for number in range(int(first), int(last)):
            pause = number > first and steps[number - 1] > LONGEST_PAUSE * usual_s
            if line and pause:
                yield at_s, _shown(line)
                line = bytearray()
            if not line:
                at_s = float(times[number])
            byte = int(values[number]) & 0xFF
            if byte == 10:
                if line:
                    yield at_s, _shown(line)
                line = bytearray()
            else:
                line.append(byte)
        if line:
            yield at_s, _shown(line)


def _shown(line: bytearray) -> str:
    """Printable, or as hexadecimal bytes."""
    text = bytes(line).strip(b"\r")
    if all(32 <= byte < 127 for byte in text):
        return text.decode("ascii")
    return " ".join(f"{byte:02X}" for byte in text)


def take_strips(take: Take, first_index: int) -> tuple[ChangingStrip, ...]:
    """Outputs, port pins and serial ports of a take that told of any change."""
    sent = _sent(take.workspace.project)
    strips: list[ChangingStrip] = []
    for changing in output_changes(take):
        times, values = _whole(changing)
        if not len(times):
            continue
        kind: Kind = (
            "text" if changing.name in sent else "wire" if changing.kind == "wire" else "word"
        )
        index = first_index + len(strips)

        def course(known: Course = (times, values)) -> Course:
            return known

        strips.append(ChangingStrip(changing.name, kind, index, course, lambda: take.seconds))
    return tuple(strips)


def _whole(changing: Changing) -> Course:
    parts = list(changing.blocks())
    times, values = (np.concatenate([part[side] for part in parts]) for side in (0, 1))
    return times, values


def _sent(project: Project) -> set[str]:
    """Names of outputs that are bytes on a wire."""
    routes = {
        route.name for route in project.routes if isinstance(route.destination, UartDestination)
    }
    return routes | {
        output.title for output in program_outputs(project.reactions) if output.kind == "uart"
    }


def now_strips(run: LiveRun, first_index: int) -> tuple[ChangingStrip, ...]:
    """Outputs, port pins and serial ports of a board that runs."""
    project = run.workspace.project
    strips: list[ChangingStrip] = []

    def add(name: str, kind: Kind, number: int, bit: int | None = None) -> None:
        stream = OUTPUT_STREAM + number

        def course() -> Course:
            times, values = run.output(stream)
            return times, values if bit is None else (values.astype(np.int64) >> bit & 1).astype(
                float
            )

        strips.append(
            ChangingStrip(name, kind, first_index + len(strips), course, lambda: run.end_s)
        )

    for number, route in enumerate(project.routes):
        is_sent = isinstance(route.destination, UartDestination)
        add(route.name, "text" if is_sent else "word", number)
    for number, output in enumerate(program_outputs(project.reactions), len(project.routes)):
        if output.kind == "pins":
            for bit, pin in enumerate(output.names):
                add(pin, "wire", number, bit)
        else:
            add(output.title, "text" if output.kind == "uart" else "word", number)
    return tuple(strips)
