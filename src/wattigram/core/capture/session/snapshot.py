"""What a session shows of a board at one moment; light, so that a window can begin with an empty
one."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from wattigram.core.capture.session.live_run import LiveRun
    from wattigram.core.predict.expected import History

FloatArray = NDArray[np.float64]


class StreamPicture(msgspec.Struct, frozen=True):
    """Columns of equal time from ``begin_s`` to ``end_s``; a column without samples is NaN.

    Attributes
    ----------
    low_v, high_v : (n,) float64, extremes captured; empty before anything came
    expected_low_v, expected_high_v : (n,) float64, the band's course without its half width
    half_width_v : float, half the band's own height
    in_band : whether what was captured lies on the band; None when nothing was
    """

    signal: str
    begin_s: float
    end_s: float
    low_v: FloatArray
    high_v: FloatArray
    expected_low_v: FloatArray
    expected_high_v: FloatArray
    half_width_v: float
    in_band: bool | None
    reading_v: float
    raw_low_v: FloatArray = msgspec.field(default_factory=lambda: np.empty(0))
    raw_high_v: FloatArray = msgspec.field(default_factory=lambda: np.empty(0))
    """Extremes before the reduce stage, over the same stretch; empty where there is none."""


class OutputPicture(msgspec.Struct, frozen=True):
    """The newest writes at the end of a route, or of a report.

    Attributes
    ----------
    times_s, values : (n,)
    overwritten, torn : (n,) bool, as the virtual board marks them
    expected_low, expected_high : (m,) float64, of the last m writes
    count : int, writes since the start
    """

    times_s: FloatArray
    values: NDArray[np.int64]
    overwritten: NDArray[np.bool_]
    torn: NDArray[np.bool_]
    expected_low: FloatArray
    expected_high: FloatArray
    count: int


class ViewRequest(msgspec.Struct, frozen=True):
    """A stretch of a signal to be drawn."""

    signal: str
    span_s: float
    columns: int


class HoldState(msgspec.Struct, frozen=True):
    """What a board is watched for: how often it came, whether it is being recorded, and whether that is all."""

    what: str
    count: int
    is_recording: bool
    is_over: bool


class Snapshot(msgspec.Struct, frozen=True):
    """All that the desktop shows of a board, at one moment."""

    state: str = "off"
    """off, idle, running or failed."""
    runs_image: bool = False
    """It is a virtual board with compiled firmware."""
    message: str = ""
    board: str = ""
    build_id: str = ""
    mark_matches: bool | None = None
    seconds: float = 0.0
    cycles: int = 0
    samples: int = 0
    lost_cycles: int = 0
    bytes_skipped: int = 0
    bytes_came: int = 0
    """Of the link, since it was opened."""
    events: tuple[tuple[int, bool, int, int], ...] = ()
    event_count: int = 0
    log: tuple[str, ...] = ()
    pictures: dict[str, StreamPicture] = msgspec.field(default_factory=dict)
    outputs: dict[str, OutputPicture] = msgspec.field(default_factory=dict)
    totals: dict[str, int] = msgspec.field(default_factory=dict)
    """The board's own counts when it stopped."""
    loop_places: dict[str, int] = msgspec.field(default_factory=dict)
    memory: dict[str, bytes] = msgspec.field(default_factory=dict)
    """Places of the image that are looked at, by name."""
    recording: Path | None = None
    recording_since_s: float = 0.0
    """When what is being recorded begins, in seconds since the board's start."""
    recorded: Path | None = None
    """A take that has just been finished."""
    held: tuple[Path, ...] = ()
    """Takes that have just been held."""
    frozen: Path | None = None
    """A take that has just been made of what is kept."""
    copied: Path | str | None = None
    """A stretch of it that has just been written to be measured; or why it could not be."""
    hold: HoldState | None = None
    now: LiveRun | None = None
    """What is kept of the run; it grows on."""
    history: History = ()
