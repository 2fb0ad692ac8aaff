"""What changes over time: channels, and what a take has besides them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.recording.channel import Channel, Recording
from wattigram.core.capture.recording.from_take import TakeRecording
from wattigram.core.capture.take.reader import Take
from wattigram.core.model.design import program_outputs

FloatArray = NDArray[np.float64]
Blocks = Callable[[], Iterator[tuple[FloatArray, FloatArray]]]


class Changing(msgspec.Struct, frozen=True):
    """Something that has a value from each instant on.

    ``blocks`` gives instants and values, both (n,) float64; ``bits`` is the width of a ``word``.
    """

    name: str
    kind: Literal["real", "wire", "word"]
    blocks: Blocks
    bits: int = 1

    @staticmethod
    def of_channel(
        channel: Channel,
        begin_s: float | None,
        end_s: float | None,
        done: Callable[[int], None] = lambda samples: None,
    ) -> Changing:
        """The samples of a channel; NaN for what never came."""

        def blocks() -> Iterator[tuple[FloatArray, FloatArray]]:
            for block in channel.blocks(begin_s, end_s):
                yield block.times_s, np.where(block.valid, block.values, np.nan)
                done(len(block))

        return Changing(channel.name, "real", blocks)


def changes_of(
    recording: Recording, begin_s: float | None = None, end_s: float | None = None
) -> tuple[Changing, ...]:
    """Outputs, port pins and events of a take; nothing of other recordings."""
    if not isinstance(recording, TakeRecording):
        return ()
    take = recording.take
    found = [*output_changes(take), *_events(take)]
    return tuple(_cut(one, begin_s, end_s) for one in found)


def output_changes(take: Take) -> Iterator[Changing]:
    """Ends of routes, registers, port pins one by one, and serial ports: what took effect."""
    project = take.workspace.project
    routes = len(project.routes)
    for number, route in enumerate(project.routes):
        yield _output(take, number, route.name)
    for number, output in enumerate(program_outputs(project.reactions)):
        if output.kind != "pins":
            yield _output(take, routes + number, output.title)
            continue
        for bit, pin in enumerate(output.names):
            yield _output(take, routes + number, pin, bit)


def _output(take: Take, number: int, name: str, bit: int | None = None) -> Changing:
    def blocks() -> Iterator[tuple[FloatArray, FloatArray]]:
        seen = take.output(number)
        taken = ~seen.overwritten
        values = seen.values[taken]
        values = values >> bit & 1 if bit is not None else values
        yield seen.times_s[taken], values.astype(np.float64)

    return Changing(name, "wire", blocks) if bit is not None else Changing(name, "word", blocks, 32)


def _events(take: Take) -> Iterator[Changing]:
    """Whether the condition of each source of events holds."""
    for number, watch in enumerate(take.workspace.watches):

        def blocks(number: int = number) -> Iterator[tuple[FloatArray, FloatArray]]:
            mine = take.events[take.events["source"] == number]
            yield mine["ticks"] / take.tick_hz, mine["entered"].astype(np.float64)

        yield Changing(f"event {number + 1} {watch.signal}", "wire", blocks)


def _cut(changing: Changing, begin_s: float | None, end_s: float | None) -> Changing:
    def blocks() -> Iterator[tuple[FloatArray, FloatArray]]:
        for times_s, values in changing.blocks():
            first = 0 if begin_s is None else int(np.searchsorted(times_s, begin_s))
            last = len(times_s) if end_s is None else int(np.searchsorted(times_s, end_s))
            yield times_s[first:last], values[first:last]

    return Changing(changing.name, changing.kind, blocks, changing.bits)
