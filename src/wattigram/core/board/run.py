"""One run from start to stop: codes into loop memory, halves into frames."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import Executor
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.effective import EffectiveBench, EffectiveConfig, EffectiveConverter
from wattigram.core.board.firmware import Tap
from wattigram.core.board.synth import ConverterSynth, codes_on
from wattigram.core.link import FLAG_FIRST, FLAG_TAIL, REDUCED_STREAM, FrameType, encode_frame

_ITEM_DTYPES: dict[int, np.dtype[Any]] = {8: np.dtype("u1"), 16: np.dtype("<u2"), 32: np.dtype("<u4")}


class _Channel:
    """A converter with its loop; ``stream`` numbers both."""

    def __init__(self, config: EffectiveConfig, stream: int, threads: int) -> None:
        self.config: EffectiveConverter = config.converters[stream]
        self.stream = stream
        self.synths = [
            ConverterSynth(self.config, stream, config.bench, config.tick_hz, config.seed) for _ in range(threads)
        ]
        self.taps = [
            (number, Tap(tap, number, self.config)) for number, tap in enumerate(config.taps) if tap.converter == stream
        ]
        self.cycles = 0
        self.handed_over = 0
        self.pending: NDArray[np.int32] = np.empty(0, dtype=np.int32)
        self.reduced = [0] * len(self.taps)


class Run:
    """Advances in ticks of the board's clock and gives encoded frames.

    With an executor ``advance`` uses up to ``threads`` threads; the frames are the same.
    """

    def __init__(self, config: EffectiveConfig, first_sequence: int = 0, threads: int = 1) -> None:
        self.config = config
        self.sequence = first_sequence
        self.ticks = 0
        self._channels = [_Channel(config, stream, threads) for stream in range(len(config.converters))]

    @property
    def seconds(self) -> Fraction:
        """Board time since the start."""
        return Fraction(self.ticks, self.config.tick_hz)

    @property
    def largest_step_ticks(self) -> int:
        """Ticks that one block of the fastest converter takes; a good step when time does not matter."""
        return min(channel.config.cycle_ticks * channel.synths[0].block_cycles for channel in self._channels)

    def cycles(self) -> list[int]:
        """Cycles done by each converter."""
        return [channel.cycles for channel in self._channels]

    def items(self) -> dict[int, int]:
        """Items handed over by each stream."""
        raw = {channel.stream: channel.handed_over for channel in self._channels}
        for channel in self._channels:
            for done, (number, tap) in zip(channel.reduced, channel.taps, strict=True):
                if tap.tap.count > 1:
                    raw[REDUCED_STREAM + number] = done
        return raw

    def next_tick(self) -> int:
        """Earliest trigger that has not been served yet."""
        return min(channel.cycles * channel.config.cycle_ticks for channel in self._channels)

    def set_bench(self, bench: EffectiveBench) -> None:
        """Turn knobs; holds from the next cycle on."""
        for channel in self._channels:
            for synth in channel.synths:
                synth.set_bench(bench)

    def advance(self, ticks: int, executor: Executor | None = None) -> list[bytes]:
        """Run until ``ticks`` after the start; cycles whose trigger comes before then are done."""
        self.ticks = max(self.ticks, ticks)
        frames: list[bytes] = []
        for channel in self._channels:
            end = max(channel.cycles, -(-self.ticks // channel.config.cycle_ticks))
            codes = codes_on(channel.synths, channel.cycles, end, executor)
            channel.cycles = end
            frames += self._hand_over(channel, codes, last=False)
        return frames

    def finish(self) -> list[bytes]:
        """What is left of each half when the board is stopped."""
        nothing = np.empty(0, dtype=np.int32)
        return [frame for channel in self._channels for frame in self._hand_over(channel, nothing, last=True)]

    def _hand_over(self, channel: _Channel, codes: NDArray[np.int32], last: bool) -> Iterator[bytes]:
        loop = channel.config.loop
        pending = np.concatenate((channel.pending, codes)) if len(channel.pending) else codes
        if channel.config.shift:
            codes <<= np.int32(channel.config.shift)
            pending = np.concatenate((channel.pending, codes))
        position = 0
        while True:
            place = channel.handed_over % loop.items
            mark = loop.items // 2 if place < loop.items // 2 else loop.items
            wanted = mark - place
            if not loop.repeat and channel.handed_over >= loop.items:
                position = len(pending)  # a run that is not endless leaves its memory as it is
                break
            if len(pending) - position < wanted:
                break
            yield from self._frames(channel, pending[position : position + wanted], 0)
            position += wanted
        if last and position < len(pending):
            yield from self._frames(channel, pending[position:], FLAG_TAIL)
            position = len(pending)
        channel.pending = pending[position:].copy()

    def _frames(self, channel: _Channel, codes: NDArray[np.int32], flags: int) -> Iterator[bytes]:
        config = channel.config
        items = codes.astype(_ITEM_DTYPES[config.loop.width_bits])
        first = channel.handed_over
        flags |= FLAG_FIRST if first == 0 else 0
        channel.handed_over += len(items)
        yield self._frame(
            items.tobytes(),
            stream=channel.stream,
            item_bytes=config.loop.width_bits // 8,
            flags=flags,
            ticks=first // len(config.slots) * config.cycle_ticks,
            first=first,
        )
        for position, (number, tap) in enumerate(channel.taps):
            reduced, reduced_ticks, events = tap.feed(items, first)
            if len(reduced):
                done = channel.reduced[position]
                channel.reduced[position] += len(reduced)
                yield self._frame(
                    reduced.astype("<u4").tobytes(),
                    stream=REDUCED_STREAM + number,
                    item_bytes=4,
                    flags=(flags & FLAG_TAIL) | (FLAG_FIRST if done == 0 else 0),
                    ticks=int(reduced_ticks[0]),
                    first=done,
                )
            if len(events):
                yield self._frame(
                    events.tobytes(), FrameType.EVENTS, stream=number, item_bytes=16, ticks=int(events["ticks"][0])
                )

    def _frame(
        self,
        payload: bytes,
        kind: FrameType = FrameType.SAMPLES,
        *,
        stream: int,
        item_bytes: int,
        flags: int = 0,
        ticks: int = 0,
        first: int = 0,
    ) -> bytes:
        sequence = self.sequence
        self.sequence += 1
        return encode_frame(
            kind,
            payload,
            stream=stream,
            item_bytes=item_bytes,
            flags=flags,
            sequence=sequence,
            ticks=ticks,
            first=first,
        )
