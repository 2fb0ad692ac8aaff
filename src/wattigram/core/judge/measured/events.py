"""Events of a signal one by one, each beside when it was due."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise

from wattigram.core.capture.recording.from_take import TakeChannel
from wattigram.core.capture.take import Take
from wattigram.core.judge.measured.figures import Figure
from wattigram.core.judge.nearest_match import NearestMatch
from wattigram.core.judge.threshold_events import crossings
from wattigram.core.model.design import Watch

MOST = 2000
"""Events that are listed."""
APART = 0.25
"""Of the spacing of what is due: an event further off belongs to none."""


def event_figures(
    channel: TakeChannel, begin_s: float | None, end_s: float | None
) -> tuple[Figure, ...]:
    """When each event came and was due, in the order of time; of one that did not come only when it was due.

    Raises
    ------
    ValueError
        Where nothing makes events of the signal.
    """
    take = channel.take
    watches = [watch for watch in take.workspace.watches if watch.signal == channel.signal.name]
    if not watches:
        raise ValueError("no threshold, pair or comparator makes events of it")
    rows = [row for watch in watches for row in _rows(take, watch)]
    low, high = (
        begin_s if begin_s is not None else -math.inf,
        end_s if end_s is not None else math.inf,
    )
    seen = [row for row in rows if low <= _when(row) <= high]
    return tuple(sorted(seen, key=_when)[:MOST])


def _when(figure: Figure) -> float:
    return figure.predicted or 0.0 if math.isnan(figure.value) else figure.value


def _rows(take: Take, watch: Watch) -> Iterator[Figure]:
    number = take.workspace.watches.index(watch)
    mine = take.events[take.events["source"] == number]
    step_s = 1 / take.tick_hz / math.sqrt(12)
    if watch.kind not in {"window", "twin"}:
        for row in mine:
            at_s = int(row["ticks"]) / take.tick_hz
            yield Figure(
                watch.kind, event_title(take, watch, bool(row["entered"])), at_s, step_s, "s"
            )
        return
    told = crossings(take, watch)
    spacing_s = _spacing_s([one.time_s for one in told.wanted], told.end_s)
    left = {
        kind: NearestMatch([at for at, began in told.came if began == kind])
        for kind in (True, False)
    }
    for due in told.wanted:
        title = event_title(take, watch, due.entered)
        came_s = left[due.entered].claim_nearest(due.time_s, APART * spacing_s)
        if came_s is None:
            yield Figure(watch.kind, title, math.nan, math.nan, "s", due.time_s, "", "did not come")
            continue
        late_s = came_s - due.time_s
        note = f"{abs(late_s) * 1e3:.4g} ms {'late' if late_s >= 0 else 'early'}"
        yield Figure(watch.kind, title, came_s, step_s, "s", due.time_s, "", note)
    for kind, unclaimed in left.items():
        for at_s in unclaimed.rest():
            title = event_title(take, watch, kind)
            yield Figure(watch.kind, title, at_s, step_s, "s", None, "", "was not due")


def event_title(take: Take, watch: Watch, entered: bool) -> str:
    """What happened: whose event, and which way."""
    if watch.kind in {"window", "twin"}:
        return f"{_name(take, watch)} {'enters' if entered else 'leaves'}"
    return f"{_name(take, watch)} {'rises' if entered else 'falls'}"


def _name(take: Take, watch: Watch) -> str:
    if watch.kind == "comparator":
        return watch.comparator
    if watch.kind == "twin":
        return "pair apart"
    return watch.window(take.workspace.project).name or f"threshold {watch.index + 1}"


def _spacing_s(due_s: list[float], end_s: float) -> float:
    """Between what is due at least; the take's length where there is one only."""
    gaps = [after - before for before, after in pairwise(due_s) if after > before]
    return min(gaps, default=max(end_s, 1e-9))
