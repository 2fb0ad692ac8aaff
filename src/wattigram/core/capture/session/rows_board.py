"""Other firmware that prints or sends rows of numbers, as a board: what comes becomes frames of the design's converters."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.foreign.byte_source import ByteSource, open_source
from wattigram.core.capture.foreign.stream_reader import (
    ForeignStream,
    column_names,
    column_units,
    time_column,
)
from wattigram.core.capture.recording.into_take import ITEM_TYPES, items_of
from wattigram.core.capture.session.address import ROWS
from wattigram.core.contract.link import (
    FLAG_FIRST,
    IMPORTED,
    STAMP_STREAM,
    FrameType,
    Identity,
    encode_frame,
)
from wattigram.core.model.design import Chain, Workspace, signal_scale
from wattigram.core.predict.timing import scan_timing

SCANS_A_FRAME = 256
LEAST_HEARD_S, OTHER_RATE = 2.0, 0.05
"""For how long rows must come before the host can tell their rate, and by what share it may be off."""
MOST_WAITING = 64
"""Frames that are handed out at once."""
VOLTS = {"V": 1.0, "mV": 1e-3, "µV": 1e-6, "μV": 1e-6, "uV": 1e-6, "kV": 1e3}


class _Chain(msgspec.Struct, frozen=True):
    """A converter, and for each slot the place of its column and what a number there is worth in the signal's volts."""

    chain: Chain
    stream: int
    columns: tuple[int, ...]
    volts: tuple[float, ...]
    dtype: np.dtype[Any]


class RowsBoard:
    """Commands go in, frames come out: it starts, and stops, listening."""

    debugger = None

    def __init__(
        self,
        workspace: Workspace,
        source: ByteSource,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        """The project says how rows are written; ``clock`` is the host's, in seconds, and only tells whether a rate
        that was said can be.

        Raises
        ------
        LinkError
            Where it does not, or says of no converter which columns its signals are.
        """
        rows = workspace.project.rows
        if rows is None:
            raise LinkError(
                "The project does not say how the rows of other firmware are written.",
                cure="Choose Stream, Rows of other firmware…, or “wattigram stream --keep”.",
            )
        self.name = source.name
        self._clock = clock
        self._workspace, self._source, self._setup = workspace, source, rows
        self._tick_hz = workspace.bus_clock_hz.numerator
        self._time = time_column(rows.format)
        self._chains = self._mapped(column_names(rows.format), column_units(rows.format))
        rate_hz = rows.rate_hz
        if rate_hz is None:
            rate_hz = scan_timing(workspace, self._chains[0].chain).handed_rate_hz
        self._rate_hz = float(rate_hz)
        self._out: deque[bytes] = deque()
        self._sequence = 0
        self._is_on = False
        self._reset(None)

    def _reset(self, ends: int | None) -> None:
        self._reader = ForeignStream(self._setup.format)
        self._ends = ends
        self._row = 0
        self._ticks = 0
        self._begin_s: float | None = None
        self._last_s = 0.0
        self._heard: tuple[float, int] | None = None
        """When rows first came, by the host, and how many at once."""
        self._came = (0.0, 0)
        self._others = self._lost = 0
        self._beyond = 0

    def _mapped(self, names: list[str], units: list[str]) -> tuple[_Chain, ...]:
        """Converters of which all signals have a column."""
        project, found, wanting = self._workspace.project, [], []
        for stream, chain in enumerate(project.chains):
            columns, volts = [], []
            for slot in chain.slots:
                own = project.signal(slot.signal).column
                if own is None or own.name not in names or len(chain.places_of(slot.signal)) > 1:
                    wanting.append(slot.signal)
                    break
                place = names.index(own.name)
                scale = signal_scale(self._workspace, chain, slot.signal)
                code_v = scale.lsb_v / float(project.signal(slot.signal).scaling)
                columns.append(place)
                volts.append(code_v if own.reads == "codes" else VOLTS.get(units[place], 1.0))
            else:
                dtype = ITEM_TYPES[chain.read_as.element_bits or chain.buffer.element_bits]
                found.append(_Chain(chain, stream, tuple(columns), tuple(volts), dtype))
        if not found:
            raise LinkError(
                f"No column is said for {', '.join(f'“{name}”' for name in dict.fromkeys(wanting)) or 'any signal'}.",
                cure=f"Columns are: {', '.join(names)}. Each signal of a converter needs one of its own.",
            )
        return tuple(found)

    def command(self, line: str) -> None:
        """Obey a command as firmware of this program would."""
        word, _, rest = line.partition(" ")
        match word:
            case "identify":
                text = Identity(f"rows of {self.name}", self._workspace.build_id, self._tick_hz)
                self._say(FrameType.IDENTITY, text.text())
            case "start":
                ends = [one[6:] for one in rest.split() if one.startswith("ticks=")]
                self._reset(int(ends[0]) if ends and ends[0].isdigit() else None)
                self._source.again()
                self._is_on = True
                self._say(FrameType.LOG, "started")
                self._say(FrameType.LOG, f"{IMPORTED} {self.name} (rows)")
            case "stop":
                self._stop()
            case "query":
                word = "running" if self._is_on else "idle"
                self._say(FrameType.REPLY, " ".join([word, *self._totals()]))
            case _:
                self._say(FrameType.REPLY, f"error “{word[:20]}” is nothing that rows can do")

    def read(self) -> bytes:
        """What has come within a moment, as frames."""
        if self._is_on and not self._out:
            data = self._source.read()
            self._hear(data or b"", is_end=data is None)
            if data is None or (self._ends is not None and self._ticks >= self._ends):
                self._stop()
        elif not self._out:
            self._wait()
        handed = [self._out.popleft() for _ in range(min(len(self._out), MOST_WAITING))]
        return b"".join(handed)

    def _hear(self, data: bytes, *, is_end: bool) -> None:
        """Take what bytes say."""
        rows = self._reader.feed(data, is_end=is_end)
        self._others += rows.others
        for lost, values in rows.stretches:
            self._take(values, lost)

    def _wait(self) -> None:
        """What comes before it is started belongs to no run; what lies in a file or a pipe stays there."""
        if self._source.is_live:
            self._source.read()
        else:
            self._source.wait()

    def _stop(self) -> None:
        if self._is_on:
            self._is_on = False
            for count, what in (
                (self._others, "lines or bytes say something else"),
                (self._lost, "rows are missing by their counter"),
                (self._beyond, "values lie beyond the converter's range, and have its last code"),
            ):
                if count:
                    self._say(FrameType.LOG, f"{count} {what}")
            self._tell_rate()
        self._say(FrameType.REPLY, " ".join(["stopped", *self._totals()]))

    def _tell_rate(self) -> None:
        """That rows came at another rate than they are taken to, where no column tells when, and that can be told."""
        if self._time is not None or self._heard is None or not self._source.is_live:
            return
        seconds, rows = self._came[0] - self._heard[0], self._came[1] - self._heard[1]
        if seconds < LEAST_HEARD_S or not rows:
            return
        came_hz = rows / seconds
        if abs(came_hz / self._rate_hz - 1) > OTHER_RATE:
            self._say(
                FrameType.LOG,
                f"about {came_hz:.3g} rows a second came by the host's clock, and they are taken to come at "
                f"{self._rate_hz:g}: is that their rate?",
            )

    def _totals(self) -> list[str]:
        return [
            f"ticks={self._ticks}",
            *(f"items.{one.stream}={self._row * len(one.columns)}" for one in self._chains),
        ]

    def _take(self, values: NDArray[np.float64], lost: int) -> None:
        """Send (rows, columns) as scans; so many before them are missing."""
        self._lost += lost
        self._row += lost  # their numbers are passed over
        if not len(values):
            return
        now = self._clock()
        self._came = now, self._row + len(values)
        if self._heard is None:
            self._heard = self._came
        numbers = self._row + np.arange(len(values))
        times_s = self._times(values, numbers)
        ticks = np.rint(times_s * self._tick_hz).astype(np.int64)
        if self._ends is not None:
            kept = int(np.searchsorted(ticks, self._ends))
            values, ticks, numbers = values[:kept], ticks[:kept], numbers[:kept]
            if not kept:
                self._ticks = self._ends
                return
        for one in self._chains:
            self._send(one, values[:, list(one.columns)], ticks, numbers)
        self._row += len(values)
        step = int(ticks[-1] - ticks[0]) // max(1, len(ticks) - 1)
        self._ticks = int(ticks[-1]) + (step or round(self._tick_hz / self._rate_hz))
        if self._ends is not None and len(values) < len(times_s):
            self._ticks = self._ends

    def _times(
        self, values: NDArray[np.float64], numbers: NDArray[np.int64]
    ) -> NDArray[np.float64]:
        """Seconds since the first row, never going back."""
        if self._time is None:
            return np.asarray(numbers / self._rate_hz)
        told = values[:, self._time]
        told = np.where(np.isfinite(told), told, np.nan)
        if self._begin_s is None:
            came = told[np.isfinite(told)]
            self._begin_s = float(came[0]) if len(came) else 0.0
        times_s = told - self._begin_s
        holes = ~np.isfinite(times_s)
        if holes.all():
            times_s = self._last_s + (1 + np.arange(len(values))) / self._rate_hz
        elif holes.any():
            at = np.arange(len(values))
            times_s[holes] = np.interp(at[holes], at[~holes], times_s[~holes])
        # A firmware that is started anew begins its time again: it goes on from where it was.
        steps = np.diff(times_s, prepend=self._last_s if self._row else times_s[0])
        usual_s = float(np.median(steps[steps > 0])) if (steps > 0).any() else 1 / self._rate_hz
        anew = np.cumsum(np.where(steps < 0, usual_s - steps, 0.0))
        times_s = times_s + anew
        self._begin_s -= float(anew[-1])
        self._last_s = float(times_s[-1])
        return np.asarray(times_s)

    def _send(
        self,
        one: _Chain,
        values: NDArray[np.float64],
        ticks: NDArray[np.int64],
        numbers: NDArray[np.int64],
    ) -> None:
        """Scans in which every column has a number, as frames of items and of their instants."""
        came: NDArray[np.bool_] = np.asarray(np.isfinite(values).all(axis=1))
        slots = len(one.columns)
        items = np.empty((len(values), slots), dtype=one.dtype)
        for column, worth in enumerate(one.volts):
            volts = np.where(came, values[:, column], 0.0) * worth
            name = one.chain.slots[column].signal
            items[:, column], beyond = items_of(self._workspace, one.chain, name, volts, one.dtype)
            self._beyond += beyond
        edges = np.flatnonzero(np.diff(came.astype(np.int8))) + 1
        for part in np.split(np.arange(len(values)), edges):
            if not len(part) or not came[part[0]]:
                continue
            for at in range(0, len(part), SCANS_A_FRAME):
                own = part[at : at + SCANS_A_FRAME]
                stamps = np.repeat(ticks[own] % (1 << 32), slots).astype("<u4")
                first, start = int(numbers[own[0]]) * slots, int(ticks[own[0]])
                self._frame(one.stream, items[own].tobytes(), items.itemsize, start, first)
                self._frame(STAMP_STREAM + one.stream, stamps.tobytes(), 4, start, first)

    def _frame(self, stream: int, payload: bytes, item_bytes: int, ticks: int, first: int) -> None:
        self._out.append(
            encode_frame(
                FrameType.SAMPLES,
                payload,
                stream=stream,
                item_bytes=item_bytes,
                flags=FLAG_FIRST if first == 0 else 0,
                sequence=self._sequence,
                ticks=ticks,
                first=first,
            )
        )
        self._sequence += 1

    def _say(self, kind: FrameType, text: str) -> None:
        frame = encode_frame(kind, text.encode(), sequence=self._sequence, ticks=self._ticks)
        self._out.append(frame)
        self._sequence += 1

    def close(self) -> None:
        """Let the source go."""
        self._source.close()


def open_rows(workspace: Workspace, address: str) -> RowsBoard:
    """What sends rows at ``rows:SOURCE``, as the project says that they are written.

    Raises
    ------
    LinkError
        When nothing is there, or the project does not say.
    """
    source = open_source(address.removeprefix(ROWS))
    try:
        return RowsBoard(workspace, source)
    except LinkError:
        source.close()
        raise
