"""Reading a take by signal, as it lay in time."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.base.foreign import reading_foreign, visible_text
from wattigram.core.capture.take.opening import open_file
from wattigram.core.capture.take.signal_samples import OutputSamples, SignalSamples
from wattigram.core.capture.take.take_file import TakeFile
from wattigram.core.capture.take.validation import REPAIR, check_take
from wattigram.core.contract.link import (
    OUTPUT_STREAM,
    REDUCED_STREAM,
    STAMP_STREAM,
)
from wattigram.core.model.design import (
    Chain,
    rate_divisor,
    reduced_volts,
    signal_scale,
    tap_index,
)
from wattigram.core.predict.expected import (
    History,
    SampleTimes,
    SteadyTimes,
    TimestampedTimes,
    pointed_outputs,
    unwrap_stamps,
    with_pointings,
)
from wattigram.core.predict.pins import set_while_running
from wattigram.core.predict.timing import buffer_numbers, scan_timing

BLOCK_SAMPLES = 1 << 18
LOOKED_AT = 1 << 18
FEWEST_VALUES = 64
"""In a block of values, however many samples each is made of."""
STAMPS_BEFORE = 1 << 12
"""Cycles before a stretch whose instants are read with it."""


class Take(TakeFile):
    """An open take; close it, or use it in a ``with`` statement."""

    @property
    def seconds(self) -> float:
        """How long the board had run at the end: as it said itself, else the length of the longest stream."""
        if "ticks" in self.totals:
            return self.totals["ticks"] / self.tick_hz
        lengths = [0.0]
        for chain in self.workspace.project.chains:
            cycles = self.chain_cycles(chain)
            if cycles:
                lengths.append(
                    float(
                        self.instants(chain, cycles - 1, cycles).held_s(cycles - 1, cycles)[0, -1]
                    )
                )
                if not scan_timing(self.workspace, chain).stamped:
                    lengths.append(float(cycles * scan_timing(self.workspace, chain).cycle_s))
        return max(lengths)

    @property
    def span_s(self) -> float:
        """How long it was recorded."""
        return max(0.0, self.seconds - self.begins_s)

    def span_of(self, chain: Chain) -> float:
        """How long a chain was recorded, in seconds: from its first cycle on where the take begins later than
        the run."""
        first = self.first_cycle(chain)
        if not first or first >= self.chain_cycles(chain):
            return self.span_s
        held_s = float(self.instants(chain, first, first + 1).held_s(first, first + 1)[0, 0])
        return max(0.0, self.seconds - held_s)

    def cycle_rate_hz(self, chain: Chain) -> float | None:
        """Cycles per second as the board's ticks tell; None where too few came.

        Lost items count as done: their numbers are passed over.
        """
        stream = self.workspace.project.chains.index(chain)
        slots = len(chain.slots)
        if STAMP_STREAM + stream in self.streams:
            cycles, first = self.chain_cycles(chain), self.first_cycle(chain)
            if cycles - first < 3:
                return None
            begin_s = float(self.instants(chain, first, first + 1).held_s(first, first + 1)[0, 0])
            end_s = float(self.instants(chain, cycles - 1, cycles).held_s(cycles - 1, cycles)[0, 0])
            return (cycles - 1 - first) / (end_s - begin_s) if end_s > begin_s else None
        rows = self.frame_rows(stream)
        ticks = rows["ticks"].astype(np.int64)  # careless firmware counts to below zero
        if len(rows) < 2 or ticks[-1] <= ticks[0]:
            return None
        done = (int(rows["first"][-1]) - int(rows["first"][0])) / slots
        return done * self.tick_hz / int(ticks[-1] - ticks[0])

    def running_rate_hz(self, chain: Chain) -> float | None:
        """Cycles per second while the board ran: the usual rate from frame to frame; None where too
        few came."""
        stream = self.workspace.project.chains.index(chain)
        slots = len(chain.slots)
        if STAMP_STREAM + stream in self.streams:
            first = self.first_cycle(chain)
            looked = min(self.chain_cycles(chain), first + LOOKED_AT)
            steps = np.diff(self.instants(chain, first, looked).held_s(first, looked)[:, 0])
            return (
                float(1 / np.median(steps))
                if len(steps) > 2 and float(np.median(steps)) > 0
                else None
            )
        rows = self.frame_rows(stream)
        ticks = np.diff(rows["ticks"].astype(np.int64))
        items = np.diff(rows["first"].astype(np.int64))
        good = ticks > 0
        if np.count_nonzero(good) < 2:
            return None
        return float(np.median(items[good] / slots * self.tick_hz / ticks[good]))

    def instants(self, chain: Chain, begin: int = 0, end: int | None = None) -> SampleTimes:
        """Held instants of a chain's cycles ``begin`` to ``end``: as stamped where they were, else
        as designed.

        Those of some cycles before them are known too, for what settling carries over.
        """
        stream = STAMP_STREAM + self.workspace.project.chains.index(chain)
        if stream not in self.streams:
            if chain.converter not in self._instants:
                self._instants[chain.converter] = 0, 1 << 62, SteadyTimes(self.workspace, chain)
            return self._instants[chain.converter][2]
        total = self.item_count(stream) // len(chain.slots)
        end = total if end is None else min(end, total)
        known = self._instants.get(chain.converter)
        if known is None or not known[0] <= begin <= end <= known[1]:
            kept = -(-self.first_item(stream) // len(chain.slots))
            first = max(min(kept, begin), min(begin, end) - STAMPS_BEFORE)
            known = first, end, self._read_stamps(chain, stream, first, end)
            self._instants[chain.converter] = known
        return known[2]

    def _read_stamps(self, chain: Chain, stream: int, begin: int, end: int) -> SampleTimes:
        """Stamps of cycles ``begin`` to ``end``, made whole by the ticks of their frames."""
        slots = len(chain.slots)
        rows = self.frame_rows(stream)
        firsts, starts = rows["first"].astype(np.int64), rows["ticks"].astype(np.int64)
        # Whole frames, for each tells the ticks of its first stamp in full.
        frame = max(0, int(np.searchsorted(firsts, begin * slots, side="right")) - 1)
        since = int(firsts[frame]) if len(firsts) else 0
        since = min(since, begin * slots)
        last = int(np.searchsorted(firsts, end * slots))
        stamps = self.items(stream, since, end * slots).astype(np.uint32)
        ticks = unwrap_stamps(stamps, firsts[frame:last] - since, starts[frame:last])
        numbers = np.arange(since, since + len(ticks), dtype=np.int64)
        came = self.valid(stream, numbers)
        if came.any() and not came.all():  # what was lost was held somewhere between its neighbours
            ticks[~came] = np.rint(np.interp(numbers[~came], numbers[came], ticks[came])).astype(
                np.int64
            )
        first = -(-since // slots)
        begins = first * slots - since
        part = slice(begins, max(begins, len(ticks) - (len(ticks) - begins) % slots))
        held, known = ticks[part].reshape(-1, slots), came[part].reshape(-1, slots)
        if chain.per_trigger != "conversion":
            self._fill_scans(chain, held, known)
        return TimestampedTimes(self.workspace, chain, held, self.tick_hz, first)

    def _fill_scans(self, chain: Chain, held: NDArray[np.int64], came: NDArray[np.bool_]) -> None:
        """Instants of what was lost of a scan, as far from what came of it as in every scan; in place."""
        cycles = np.flatnonzero(came.any(axis=1) & ~came.all(axis=1))
        if not len(cycles):
            return
        each_s = SteadyTimes(self.workspace, chain).held_s(0, 1)[0]
        offsets = np.rint(each_s * self.tick_hz).astype(np.int64)
        place = came[cycles].argmax(axis=1)
        began = held[cycles, place] - offsets[place]
        held[cycles] = np.where(came[cycles], held[cycles], began[:, None] + offsets)

    def valid(self, stream: int, numbers: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which of some item numbers of a stream, ascending, really came.

        ``numbers`` and the result are (n,).
        """
        valid = np.asarray(numbers >= self.first_item(stream))
        for gap in self.gaps[self.gaps["stream"] == stream]:
            first = np.searchsorted(numbers, int(gap["first"]))
            last = np.searchsorted(numbers, int(gap["first"]) + int(gap["count"]))
            valid[first:last] = False
        return valid

    def raw_count(self, name: str) -> int:
        """Unreduced samples of a signal since the board's start that there are places for; 0 where no chain
        converts it."""
        chain = self.workspace.project.chain_of(name)
        if chain is None:
            return 0
        return self._before(
            chain, name, self.item_count(self.workspace.project.chains.index(chain))
        )

    def _before(self, chain: Chain, name: str, number: int) -> int:
        """Samples of a signal before an item of its stream."""
        lap = self._lap(chain, name)
        laps, rest = divmod(number, chain.buffer.samples)
        return laps * len(lap) + int(np.searchsorted(lap, rest))

    def first_sample(self, name: str, reduced: bool = False) -> int:
        """Number of the first sample of a signal, or value of its stage, that was recorded."""
        project = self.workspace.project
        chain, index = project.chain_of(name), tap_index(project, name)
        if not self.begins_ticks or chain is None or (reduced and index is None):
            return 0
        if reduced:
            return self.first_item(REDUCED_STREAM + (index or 0))
        return self._before(chain, name, self.first_item(project.chains.index(chain)))

    @staticmethod
    def _lap(chain: Chain, name: str) -> NDArray[np.int64]:
        """Places of a signal's items in one lap of the loop."""
        return buffer_numbers(
            chain.buffer.samples,
            chain.buffer.samples,
            len(chain.slots),
            np.array(chain.places_of(name)),
        )

    def raw(self, name: str, begin: int = 0, end: int | None = None) -> SignalSamples | None:
        """Unreduced samples of a signal, taken from the loop places that the design gives it; a
        part of them by number.

        None when no chain converts it.
        """
        workspace = self.workspace
        chain = workspace.project.chain_of(name)
        if chain is None:
            return None
        stream = workspace.project.chains.index(chain)
        signal = workspace.project.signal(name)
        slots, lap = len(chain.slots), self._lap(chain, name)
        count = self.raw_count(name)
        wanted = np.arange(
            min(begin, count), count if end is None else min(end, count), dtype=np.int64
        )
        numbers = (
            wanted // len(lap) * chain.buffer.samples + lap[wanted % len(lap)]
            if len(lap)
            else wanted[:0]
        )
        since = int(numbers[0]) if len(numbers) else 0
        mine = self.items(stream, since, int(numbers[-1]) + 1 if len(numbers) else 0)[
            numbers - since
        ]
        cycles = numbers // slots
        believed = numbers % chain.buffer.samples % slots
        volts = signal_scale(workspace, chain, name).item_volts(mine) / float(signal.scaling)
        return SignalSamples(
            signal,
            mine,
            volts,
            cycles,
            self.valid(stream, numbers),
            lambda: self._held_s(chain, cycles, believed),
        )

    def _held_s(
        self, chain: Chain, cycles: NDArray[np.int64], places: NDArray[np.int64]
    ) -> NDArray[np.float64]:
        """When slots of some cycles, ascending, were held."""
        if not len(cycles):
            return np.empty(0)
        first, last = int(cycles[0]), int(cycles[-1]) + 1
        return np.asarray(
            self.instants(chain, first, last).held_s(first, last)[cycles - first, places]
        )

    def reduced_count(self, name: str) -> int:
        """Values of a signal's stage that the take has places for."""
        index = tap_index(self.workspace.project, name)
        return self.item_count(REDUCED_STREAM + index) if index is not None else 0

    def reduced(self, name: str, begin: int = 0, end: int | None = None) -> SignalSamples | None:
        """Values of a signal's stage after memory, a part of them by number; None when it has
        none."""
        workspace = self.workspace
        chain = workspace.project.chain_of(name)
        signal = workspace.project.signal(name)
        index = tap_index(workspace.project, name)
        stage = signal.later_filter
        if chain is None or index is None or stage is None:
            return None
        values = self.items(REDUCED_STREAM + index, begin, end)
        numbers = np.arange(begin, begin + len(values), dtype=np.int64)
        places = chain.places_of(name)
        last = (numbers + 1) * rate_divisor(stage) - 1
        cycles, slots = last // len(places), np.array(places)[last % len(places)]
        volts = reduced_volts(workspace, chain, signal, values)
        valid = self.valid(REDUCED_STREAM + index, numbers)
        return SignalSamples(
            signal, values, volts, cycles, valid, lambda: self._held_s(chain, cycles, slots), True
        )

    def head(self, name: str, most: int, reduced: bool = False) -> SignalSamples | None:
        """The first samples of a signal that were recorded, or values of its stage, ``most`` of them at most;
        None where there are no such."""
        begin = self.first_sample(name, reduced)
        read = self.reduced if reduced else self.raw
        return read(name, begin, begin + most)

    def stretches(
        self, name: str, reduced: bool = False, since: int = 0
    ) -> Iterator[tuple[int, int]]:
        """Numbers of a signal's samples, or of its stage's values, in stretches that come of about
        as many samples."""
        stage = self.workspace.project.signal(name).later_filter
        each = rate_divisor(stage) if reduced and stage is not None else 1
        count = self.reduced_count(name) if reduced else self.raw_count(name)
        size = max(FEWEST_VALUES, BLOCK_SAMPLES // each)
        for begin in range(max(since, self.first_sample(name, reduced)), count, size):
            yield begin, min(count, begin + size)

    def blocks(self, name: str, reduced: bool = False, since: int = 0) -> Iterator[SignalSamples]:
        """All samples of a signal, or values of its stage, from one on, in blocks of a few
        megabytes."""
        read = self.reduced if reduced else self.raw
        for begin, end in self.stretches(name, reduced, since):
            block = read(name, begin, end)
            if block is not None:
                yield block

    def extremes(
        self, name: str, reduced: bool = False
    ) -> tuple[NDArray[np.int64], NDArray[np.int64]] | None:
        """Lowest and highest of each 256 samples of a signal, or values of its stage, from the first that was recorded
        on, as :func:`in_order` has them: (n,) each. None where the take does not store them by that signal's samples."""
        project = self.workspace.project
        chain, index = project.chain_of(name), tap_index(project, name)
        if chain is None or (reduced and index is None):
            return None
        slot = 0
        if reduced:
            return self._stored_extremes(REDUCED_STREAM + (index or 0), 1, slot)
        places = chain.places_of(name)
        if len(places) != 1 or chain.buffer.samples % len(chain.slots):
            return None
        return self._stored_extremes(project.chains.index(chain), len(chain.slots), places[0])

    def missing(self, name: str, reduced: bool = False) -> tuple[tuple[int, int], ...]:
        """Samples of a signal, or values of its stage, that never came: numbers of the first and
        past the last."""
        project = self.workspace.project
        chain, index = project.chain_of(name), tap_index(project, name)
        if chain is None or (reduced and index is None):
            return ()
        stream = REDUCED_STREAM + (index or 0) if reduced else project.chains.index(chain)
        total = self.item_count(stream)

        def before(number: int) -> int:
            if reduced:
                return min(number, total)
            return self._before(chain, name, min(number, total))

        gaps = self.gaps[self.gaps["stream"] == stream]
        ranges = (
            (before(int(gap["first"])), before(int(gap["first"]) + int(gap["count"])))
            for gap in gaps
        )
        return tuple((first, last) for first, last in ranges if first < last)

    def came(self, name: str) -> int:
        """Unreduced samples of a signal that really came."""
        lost = sum(last - first for first, last in self.missing(name))
        return self.raw_count(name) - self.first_sample(name) - lost

    @cached_property
    def history(self) -> History:
        """The project at the start, after each turn of a knob, and after each time that the program let a
        signal be read at another pin."""
        seen = []
        for name, number in pointed_outputs(self.workspace).items():
            output = self.output(number)
            ticks = np.rint(output.times_s * self.tick_hz).astype(np.int64)
            seen += [
                (at, name, channel)
                for at, channel in zip(ticks.tolist(), output.values.tolist(), strict=True)
            ]
        return with_pointings(self.bench_history, seen)

    def unforeseen(self, name: str) -> str:
        """Why nothing can be expected of a signal, as a clause; "" where something is."""
        pin = set_while_running(self.workspace, self.workspace.project.signal(name))
        if pin:
            return f"{pin} is set while the board runs: nothing is known beforehand"
        number = pointed_outputs(self.workspace).get(name)
        if number is not None and not len(self.output(number).times_s):
            return f"the program reads {name} at one pin and then at another, and nobody tells when"
        return ""

    def events_of(self, name: str) -> NDArray[np.void]:
        """Events of a signal's thresholds, pair and comparators, (n,) of ``EVENT_DTYPE``, as they came."""
        numbers = [
            number for number, watch in enumerate(self.workspace.watches) if watch.signal == name
        ]
        events: NDArray[np.void] = self.events[np.isin(self.events["source"], numbers)]
        return events

    def output(self, number: int) -> OutputSamples:
        """What took effect at the end of route ``number``, or left a UART as the report of that
        number after them."""
        stream = OUTPUT_STREAM + number
        since = self.first_item(stream)
        pairs = self.items(stream, since)
        pairs = pairs[: len(pairs) // 2 * 2].reshape(-1, 2)
        if not len(pairs):
            return OutputSamples(np.empty(0), np.empty(0, dtype=np.int64))
        rows = self.frame_rows(stream)
        firsts = (rows["first"].astype(np.int64) - since) // 2
        starts = rows["ticks"].astype(np.int64)
        ticks = unwrap_stamps(pairs[:, 0].astype(np.uint32), firsts, starts)
        return OutputSamples(ticks / self.tick_hz, pairs[:, 1].astype(np.int64))


def open_take(path: Path) -> Take:
    """Open a take.

    Raises
    ------
    TakeError
        When the file is no take, or one of a newer version.
    """
    where = str(path)
    try:
        file = open_file(path)
    except (OSError, RuntimeError, ValueError) as fault:
        is_there = "\0" not in where and path.exists()
        reason = "it is no HDF5 file, or a damaged one" if is_there else "there is no such file"
        raise TakeError(
            f"The take cannot be opened: {reason}.",
            where=visible_text(where),
            cure=f"Choose a take of Wattigram; {REPAIR}"
            if is_there
            else "Choose a take of Wattigram.",
        ) from fault
    try:
        with reading_foreign(TakeError, "The take is damaged", where, REPAIR):
            check_take(file, where)
            return Take(path, file)
    except TakeError:
        file.close()
        raise
