"""What a recording waits for: an event of the board, or a signal that passes a level."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import QuantityError, WattigramError
from wattigram.core.base.quantity import format_volts, parse_value
from wattigram.core.capture.session.stream_view import item_volts, signal_numbers
from wattigram.core.capture.transport import SampleRun
from wattigram.core.contract.link import REDUCED_STREAM
from wattigram.core.model.design import Chain, Signal, Workspace, tap_index, watch_title

BEGINS, ENDS = "begins", "ends"


class EventCondition(msgspec.Struct, frozen=True):
    """An event of a source; of either kind where ``begins`` is None."""

    source: int
    begins: bool | None
    title: str


class LevelCondition(msgspec.Struct, frozen=True):
    """A signal, after its filter where it has one, comes to lie above a level, or below it."""

    signal: str
    level_v: float
    above: bool

    @property
    def title(self) -> str:
        """As it is typed."""
        return f"{self.signal} {'>' if self.above else '<'} {format_volts(self.level_v)}"


Condition = EventCondition | LevelCondition


def event_titles(workspace: Workspace) -> tuple[str, ...]:
    """What each source of events is called, in the order of their numbers; those that would share a name have
    a number behind it."""
    titles: list[str] = []
    for watch in workspace.watches:
        title = watch_title(workspace.project, watch)
        count = sum(one == title or one.startswith(f"{title} #") for one in titles)
        titles.append(f"{title} #{count + 1}" if count else title)
    return tuple(titles)


def parse_condition(workspace: Workspace, text: str) -> Condition:
    """“Upper zone: too hot”, “Upper zone: too hot ends”, “Coil current > 2.1 V”.

    Raises
    ------
    WattigramError
        When no event source or converted signal has that name, or the level is none.
    """
    text = text.strip()
    if match := re.fullmatch(r"(.+?)\s*([<>])\s*(.+)", text):
        return _level(workspace, match[1], match[2] == ">", match[3])
    titles = event_titles(workspace)
    for ending, begins in ((f" {BEGINS}", True), (f" {ENDS}", False), ("", None)):
        name = text[: len(text) - len(ending)] if ending else text
        if text.endswith(ending) and name in titles:
            return EventCondition(titles.index(name), begins, text)
    known = ", ".join(f"“{title}”" for title in titles) or "none"
    raise WattigramError(
        f"There is no source of events “{text}”.",
        cure=f"There are: {known}; with “ begins” or “ ends” behind it, or “SIGNAL > 2.1 V”.",
    )


def _level(workspace: Workspace, name: str, above: bool, level: str) -> LevelCondition:
    converted = [slot.signal for chain in workspace.project.chains for slot in chain.slots]
    if name not in converted:
        known = ", ".join(f"“{one}”" for one in dict.fromkeys(converted)) or "none"
        raise WattigramError(f"No signal “{name}” is converted.", cure=f"There are: {known}.")
    try:
        return LevelCondition(name, parse_value(level, "V"), above)
    except QuantityError as fault:
        raise WattigramError(
            f"“{level}” is no level: {fault.message}", cure="Say “> 2.1 V”."
        ) from fault


class ConditionWatch:
    """Tells when a condition comes true, from what is handed to it in order."""

    def __init__(self, workspace: Workspace, condition: Condition) -> None:
        self._workspace, self._condition = workspace, condition
        self._was_beyond: bool | None = None
        self._stream = -1
        self._chain: Chain | None = None
        self._signal: Signal | None = None
        if isinstance(condition, LevelCondition):
            project = workspace.project
            chain, signal = project.chain_of(condition.signal), project.signal(condition.signal)
            assert chain is not None
            index = tap_index(project, signal.name)
            filtered = signal.later_filter is not None and index is not None
            self._stream = (
                REDUCED_STREAM + (index or 0) if filtered else project.chains.index(chain)
            )
            self._chain, self._signal = chain, signal

    def events_hit(self, events: NDArray[np.void]) -> Iterator[int]:
        """Ticks at which events, (n,) records, make it true."""
        if isinstance(self._condition, EventCondition):
            for row in events[events["source"] == self._condition.source]:
                if self._condition.begins in {None, bool(row["entered"])}:
                    yield int(row["ticks"])

    def samples_hit(self, run: SampleRun) -> Iterator[int]:
        """Ticks at which samples make it true: those of the frame that they came with."""
        condition = self._condition
        if not isinstance(condition, LevelCondition) or run.stream != self._stream:
            return
        places, volts = self._volts(run)
        if not len(volts):
            return
        beyond = volts > condition.level_v if condition.above else volts < condition.level_v
        before = np.concatenate(
            ([beyond[0] if self._was_beyond is None else self._was_beyond], beyond)
        )
        self._was_beyond = bool(beyond[-1])
        ends = np.cumsum(run.frame_items)
        for place in places[beyond & ~before[:-1]]:
            frame = min(int(np.searchsorted(ends, place, side="right")), len(ends) - 1)
            yield int(run.frame_ticks[frame])

    def _volts(self, run: SampleRun) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """Places of the signal's items in a run, and their volts."""
        chain, signal = self._chain, self._signal
        assert chain is not None
        assert signal is not None
        if run.stream >= REDUCED_STREAM:
            places = np.arange(len(run.items), dtype=np.int64)
        else:
            slots, end = len(chain.slots), run.first + len(run.items)
            numbers = signal_numbers(chain, signal.name, run.first // slots, -(-end // slots))
            places = numbers[(numbers >= run.first) & (numbers < end)] - run.first
        items: NDArray[Any] = run.items[places]
        return places, item_volts(((0, self._workspace),), chain, signal, items)
