"""Recordings that begin and end by themselves, and the takes that they come to."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.session.conditions import Condition, ConditionWatch
from wattigram.core.capture.session.kept_run import KEPT_S, NEVER, KeptRun
from wattigram.core.capture.session.stream_receiver import StreamReceiver
from wattigram.core.capture.take import TakeWriter
from wattigram.core.capture.transport import SampleRun
from wattigram.core.model.design import Workspace

LAG_S = 5.0
"""Of the board's time; of a board that does not say how far it is."""


class RecordingPlan(msgspec.Struct, frozen=True):
    """When takes begin and end.

    A take begins at once, or ``before_s`` before ``starts`` comes true. It ends at the first of: ``for_s`` after
    that, ``ends`` coming true, ``samples`` of each signal of the first converter. Each ``split_s``, or ``split_bytes`` on disk, it goes
    on in another file. ``times`` says how often it is begun; None for each time.
    """

    starts: Condition | None = None
    before_s: float = 0.0
    ends: Condition | None = None
    for_s: float | None = None
    samples: int | None = None
    split_s: float | None = None
    split_bytes: int | None = None
    times: int | None = 1

    def __post_init__(self) -> None:
        """Raise ``ValueError`` for numbers that cannot be."""
        if not 0 <= self.before_s < KEPT_S:
            raise ValueError(f"Before the start at most {KEPT_S:g} s are kept.")
        if self.before_s and self.starts is None:
            raise ValueError("A time before the start needs something that the start waits for.")
        for name, value in (
            ("length", self.for_s),
            ("count of samples", self.samples),
            ("length of a part", self.split_s),
            ("size of a part", self.split_bytes),
            ("count of takes", self.times),
        ):
            if value is not None and value <= 0:
                raise ValueError(f"A {name} of {value:g} is not possible.")

    @property
    def ends_itself(self) -> bool:
        """Whether a take ends without being told."""
        return (self.for_s, self.ends, self.samples) != (None, None, None)


class PlannedRecorder:
    """Follows a plan while a board runs: hands the receiver takes to write, and closes them.

    It hears from the receiver what comes as it comes, and acts by the board's time: what comes late, or all at
    once, begins and ends takes as it would have in its own time. A take begins and ends within a frame of when it
    was to.
    """

    def __init__(
        self,
        workspace: Workspace,
        reception: StreamReceiver,
        plan: RecordingPlan,
        new_writer: Callable[[int], TakeWriter],
    ) -> None:
        """``new_writer`` makes a take that begins at an instant in ticks, 0 for the start of the run."""
        self.plan = plan
        self._reception, self._new_writer = reception, new_writer
        self._starts = ConditionWatch(workspace, plan.starts) if plan.starts is not None else None
        self._ends = ConditionWatch(workspace, plan.ends) if plan.ends is not None else None
        chains = workspace.project.chains
        self._slots = len(chains[0].slots) if chains else 1
        self._start_hits: list[int] = []
        self._end_hits: list[int] = []
        self._is_recording = False
        self._part_ticks = 0
        self._last_item: int | None = None
        """Of the first converter; None where no count ends a take, or it is not known."""
        self._end_ticks: int | None = None
        """When the recording ends; None while that is not known."""
        self._cut_ticks: int | None = None
        """When the part of it ends that is being written."""
        self._all_came = False
        self.takes: list[Path] = []
        """Of all parts, in their order."""
        self.closed: list[Path] = []
        """Those that are whole, for whoever takes them out."""
        self.on_open: Callable[[int], None] = lambda _begin_ticks: None
        """Told when a take is open, and when it begins."""
        self.begun = 0
        """How often a recording was begun."""
        self.fault: TakeError | None = None

    @property
    def is_over(self) -> bool:
        """There is nothing more to record."""
        times = self.plan.times
        done = times is not None and self.begun >= times and not self._is_recording
        return done or self.fault is not None

    @property
    def is_recording(self) -> bool:
        """A take is being written."""
        return self._is_recording

    @property
    def end_ticks(self) -> int | None:
        """What is later does not belong to the take that is being written; None while that is not known."""
        if self._last_item is not None:
            counted = self._kept.ticks_of(0, self._last_item)
            if counted is not None:
                self._last_item = None
                self._end_by(counted)
        ends = [at for at in (self._end_ticks, self._cut_ticks) if at is not None]
        return min(ends, default=None) if self._is_recording else None

    @property
    def _kept(self) -> KeptRun:
        kept = self._reception.kept
        assert kept is not None
        return kept

    @property
    def asks(self) -> bool:
        """The board is to say how far it is: something is to begin or to end where the first samples have come."""
        at = self.end_ticks if self._is_recording else min(self._start_hits, default=None)
        return at is not None and self._reception.ticks > at

    def begin_at_once(self) -> None:
        """Begin the first take where nothing is waited for; to be called before the board starts."""
        if self._starts is None and not self.is_over:
            self._begin(0, 0)

    def on_events(self, events: NDArray[Any]) -> None:
        """Events came: (n,) records."""
        if self._starts is not None:
            self._start_hits += self._starts.events_hit(events)
        if self._ends is not None:
            self._end_hits += self._ends.events_hit(events)
        self._go_on()

    def on_run(self, run: SampleRun) -> None:
        """Samples came."""
        if self._starts is not None:
            self._start_hits += self._starts.samples_hit(run)
        if self._ends is not None:
            self._end_hits += self._ends.samples_hit(run)
        self._go_on()

    def on_told(self) -> None:
        """The board has said how far it is."""
        self._go_on()

    def finish(self) -> None:
        """The run is over: nothing more will come that is earlier than what has come."""
        self._all_came = True
        self._go_on()

    def end(self) -> None:
        """Nobody wants more: a take that is being written ends with what it has, and says so."""
        if not self._is_recording:
            return
        self._is_recording = False
        try:
            writer = self._reception.finish_writing(
                "" if self._reception.stopped else "It was no longer held before it was to end."
            )
            if writer is not None:
                self.closed.append(writer.path)
        except TakeError as fault:
            self.fault = fault

    def _end_by(self, ticks: int) -> None:
        self._end_ticks = ticks if self._end_ticks is None else min(self._end_ticks, ticks)

    def _begin(self, begin_ticks: int, start_ticks: int) -> None:
        self.begun += 1
        self._is_recording, self._last_item, self._end_ticks = True, None, None
        if self.plan.for_s is not None:
            self._end_by(start_ticks + round(self.plan.for_s * self._tick_hz))
        if self.plan.samples is not None:
            first = self._kept.first_item(0, begin_ticks)
            self._last_item = first + self.plan.samples * self._slots - 1
        self._end_hits = [at for at in self._end_hits if at > start_ticks]
        self._open(begin_ticks)

    def _open(self, begin_ticks: int) -> None:
        self._part_ticks, self._cut_ticks = begin_ticks, None
        if self.plan.split_s is not None:
            self._cut_ticks = begin_ticks + round(self.plan.split_s * self._tick_hz)
        if self._end_hits:
            self._end_by(min(self._end_hits))
        try:
            writer = self._new_writer(begin_ticks)
            self.takes.append(writer.path)
            self._reception.start_writing_since(writer, begin_ticks, self.end_ticks)
            self.on_open(begin_ticks)
        except TakeError as fault:
            self.fault, self._is_recording = fault, False

    def _go_on(self) -> None:
        """Begin and end what is to, in the order of the board's time."""
        while self._step():
            pass
        before = round(self.plan.before_s * self._tick_hz)
        needed = [at - before for at in self._start_hits]
        needed += [at for at in (self.end_ticks,) if at is not None]
        self._kept.held_ticks = min(needed, default=NEVER)

    def _step(self) -> bool:
        """One thing that begins or ends; False where nothing does."""
        if self.is_over:
            self._start_hits = []
            return False
        return self._step_in_take() if self._is_recording else self._step_to_take()

    def _step_to_take(self) -> bool:
        start = min(self._start_hits, default=None)
        if start is None or not self._has_reached(start):
            return False
        self._start_hits.remove(start)
        self._begin(
            self._kept.begin_ticks(start - round(self.plan.before_s * self._tick_hz)), start
        )
        return True

    def _step_in_take(self) -> bool:
        reception, plan = self._reception, self.plan
        if reception.writer is None:  # it could not be written on
            self.fault, self._is_recording = reception.writing_fault, False
            return False
        if self._end_hits:
            self._end_by(min(self._end_hits))
        if plan.split_bytes is not None and reception.writer.item_bytes >= plan.split_bytes:
            self._cut_ticks = self._cut_ticks or reception.ticks
        at = self.end_ticks
        if at is None or not self._has_reached(at):
            return False
        self._close()
        if at == self._end_ticks:
            self._is_recording = False
            self._start_hits = [hit for hit in self._start_hits if hit > at]
        elif self._is_recording:
            self._open(at)
        return True

    def _has_reached(self, ticks: int) -> bool:
        """All that is earlier has come. One converter may come long before another, and before what left the part
        then; so the board is asked how far it is. Of one that does not answer all has come after a while."""
        reception = self._reception
        if self._all_came:
            return reception.ticks > ticks
        if reception.told_ticks:
            return reception.told_ticks > ticks
        return reception.ticks > ticks + round(LAG_S * self._tick_hz)

    def _close(self) -> None:
        try:
            writer = self._reception.cut_writing()
            if writer is not None:
                self.closed.append(writer.path)
        except TakeError as fault:
            self.fault, self._is_recording = fault, False

    @property
    def _tick_hz(self) -> int:
        identity = self._reception.identity
        assert identity is not None
        return identity.tick_hz
