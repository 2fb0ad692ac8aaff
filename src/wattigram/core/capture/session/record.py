"""One run from start to stop into a take, without an interface."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from wattigram.core.base.errors import LinkError
from wattigram.core.base.quantity import format_rounded
from wattigram.core.capture.session.board_process import virtual_board
from wattigram.core.capture.session.continuation import new_take
from wattigram.core.capture.session.link_load import overload_text
from wattigram.core.capture.session.port import open_port
from wattigram.core.capture.session.recording_plan import PlannedRecorder, RecordingPlan
from wattigram.core.capture.session.stream_receiver import StreamReceiver
from wattigram.core.capture.take.disk_space import check_target
from wattigram.core.contract.link import FAILED
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import SetIsrCost, cost_notes
from wattigram.core.predict.timing import scan_timing
from wattigram.core.silicon.deploy.project_config import DEFAULT_SEED

if TYPE_CHECKING:
    from wattigram.core.capture.session.port import Port
    from wattigram.core.capture.take import TakeWriter

SILENCE_S = 3.0
OWN_SILENCE_S = 20.0
"""Of a virtual board, which is a process of our own, in processor time: it ends or answers, and may be busy until
then, however little of the machine it gets."""
LONGEST_SILENCE_S = 300.0
"""Of anything, in any time, besides the run's own."""
ASK_S = 1.0
ASK_SOON_S = 0.02
PIECE_BYTES = 1 << 13


class RunOutcome(msgspec.Struct, frozen=True):
    """What a run brought."""

    take: Path
    """The first take."""
    seconds: float
    """How long the board ran, in its own time."""
    wanted_s: float
    """How long it was asked to run."""
    is_whole: bool
    """All that was asked for came, and the board said that it stopped."""
    cycles: int
    """Scans of the first converter, as the board counts them."""
    scans: dict[str, int]
    """Of each converter, with those that were lost on the way."""
    samples: int
    lost_cycles: int
    events: int
    lost_results: int
    """Results that no handler fetched in time, as the board counts them."""
    missed_triggers: int
    """Triggers that found a converter busy, as the board counts them."""
    notes: tuple[str, ...]
    takes: tuple[Path, ...] = ()
    """All of them, in their order."""


def record_run(
    workspace: Workspace,
    seconds: float,
    out: Path,
    *,
    board: str = "virtual",
    fast: bool = False,
    seed: int = DEFAULT_SEED,
    elf: Path | None = None,
    overwrite: bool = False,
    numbered: bool = False,
    plan: RecordingPlan | None = None,
    is_ended: Callable[[], bool] = lambda: False,
    progress: Callable[[float], None] | None = None,
) -> RunOutcome:
    """Run a board for ``seconds`` of its own time and write the take; ``elf`` is the image behind a
    debug server.

    A take that lies at ``out`` is replaced where ``overwrite`` says so, and nothing else ever is;
    where it is
    ``numbered`` and another program took its name meanwhile, it has the next number. ``is_ended``
    is
    asked all the time: once it says so the board is stopped and the take finished with what it has.

    With a ``plan`` the run ends when all that it says is recorded, and after ``seconds`` at the latest; its takes
    lie at ``out``, and beside it with a number.

    Raises
    ------
    LinkError, TakeError
        When the board does not answer, or the take cannot be written.
    """
    if not numbered:
        check_target(out, overwrite)
    with ExitStack() as stack:
        child = virtual_board(board, workspace, seed)
        if child is not None:
            board = stack.enter_context(child).address
        transport = open_port(workspace, board, elf)
        stack.callback(transport.close)
        reception = StreamReceiver(workspace, keeps=plan is not None)
        _identify(transport, reception)
        ticks = _whole_cycles(workspace, seconds, reception)
        assert reception.identity is not None
        mark = reception.identity.build_id
        notes: list[str] = [text for text in [overload_text(workspace, board)] if text]
        if not reception.mark_matches:
            notes.append(
                f"The board runs build {mark}, this design is {workspace.build_id}: expected "
                "values may not fit."
            )
        tick_hz = reception.identity.tick_hz
        identity = reception.identity
        takes: list[Path] = []
        recorder = None

        def new_writer(begins_ticks: int = 0) -> TakeWriter:
            there = out if not takes else out.with_name(f"{out.stem} {len(takes) + 1}{out.suffix}")
            writer = new_take(workspace, identity, there, overwrite, numbered, begins_ticks)
            takes.append(writer.path)
            return writer

        if plan is None:
            reception.start_writing(new_writer())
        else:
            recorder = PlannedRecorder(workspace, reception, plan, new_writer)
            reception.recorder = recorder
            recorder.begin_at_once()
        run = _Run(
            transport,
            reception,
            ticks,
            SILENCE_S if child is None else OWN_SILENCE_S,
            time.monotonic if child is None else child.worked_s,
            is_ended,
            progress,
            recorder,
        )
        ended = "The program that recorded it was ended."
        try:
            transport.command(f"start ticks={ticks}" + (" fast" if fast else ""))
            ended = run.receive()
        except LinkError as fault:
            ended = str(fault)
        finally:
            if recorder is not None:
                recorder.finish()
            reception.finish_writing(ended)
        if ended:
            notes.append(ended)
        if recorder is not None:
            notes += _plan_notes(recorder)
        came_ticks = (
            reception.totals.get("ticks", reception.ticks) if reception.stopped else reception.ticks
        )
        if came_ticks < ticks and recorder is None:
            notes.append(
                f"{format_rounded(came_ticks / tick_hz, 's')} of "
                f"{format_rounded(ticks / tick_hz, 's')} came."
            )
        if not reception.samples and workspace.project.chains:
            notes.append("Not one sample came.")
        if reception.decoder.stats.bytes_skipped:
            notes.append(
                f"{reception.decoder.stats.bytes_skipped} bytes on the link were no frame and "
                "were passed over."
            )
        notes += _handler_notes(workspace, reception)
        notes += _busy_notes(reception)
        lost, missed = (_total(reception, key) for key in ("lost", "missed"))
        if "fault" in reception.totals:
            notes += [text for text in reception.log if text.startswith(FAILED)]
        if lost:
            notes.append(f"{lost} results were converted and not read out in time.")
        if missed:
            notes.append(f"{missed} triggers came while a converter was busy or stopped.")
        return RunOutcome(
            take=takes[0] if takes else out,
            takes=tuple(takes),
            seconds=came_ticks / tick_hz,
            wanted_s=(ticks if recorder is None else min(ticks, came_ticks)) / tick_hz,
            is_whole=not ended
            and (
                came_ticks >= ticks if recorder is None else _is_done(recorder, came_ticks >= ticks)
            )
            and (reception.samples > 0 or not workspace.project.chains),
            cycles=reception.totals.get("cycles", 0),
            scans=reception.scans(),
            samples=reception.samples,
            lost_cycles=reception.lost_cycles,
            events=reception.event_count,
            lost_results=lost,
            missed_triggers=missed,
            notes=tuple(notes),
        )


def _is_done(recorder: PlannedRecorder, ran_whole: bool) -> bool:
    """All that was planned is recorded."""
    plan = recorder.plan
    if recorder.fault is not None or not recorder.begun:
        return False
    if recorder.is_over:
        return True
    cut = recorder.is_recording and plan.ends_itself
    return ran_whole and not cut and (plan.times is None or recorder.begun >= plan.times)


def _plan_notes(recorder: PlannedRecorder) -> list[str]:
    """What a plan came to, where that is not all that was planned."""
    if recorder.fault is not None:
        return [str(recorder.fault)]
    starts, times = recorder.plan.starts, recorder.plan.times
    if starts is not None and not recorder.begun:
        return [f"“{starts.title}” did not come: nothing was recorded."]
    if times is not None and recorder.begun < times:
        return [
            f"“{starts.title if starts else 'the start'}” came {recorder.begun} times of {times}."
        ]
    if recorder.is_recording and recorder.plan.ends_itself:
        return ["The run was over before the recording was to end."]
    return []


def _handler_notes(workspace: Workspace, reception: StreamReceiver) -> list[str]:
    """What was counted of handlers and the main loop, where it is not what the design says."""
    notes: list[str] = []
    for number, chain in enumerate(workspace.project.chains):
        counted = SetIsrCost.counted(chain.converter, reception.totals, number)
        notes += cost_notes(chain, counted) if counted is not None else ()
    return notes


def _busy_notes(reception: StreamReceiver) -> list[str]:
    """What the image took of the processor's time, where it was counted."""
    totals = reception.totals
    ticks = totals.get("ticks", 0)
    if not ticks or "busy.main" not in totals:
        return []
    isr, main = (100 * totals[f"busy.{who}"] / ticks for who in ("isr", "main"))
    return [
        f"the processor was busy for {min(100.0, isr + main):.1f} % of the run: ISRs {isr:.1f} %, main "
        f"loop {main:.1f} %."
    ]


def _whole_cycles(workspace: Workspace, seconds: float, reception: StreamReceiver) -> int:
    """Ticks to run: whole cycles of the first chain where that is steady."""
    assert reception.identity is not None
    tick_hz = reception.identity.tick_hz
    if not workspace.project.chains:
        return max(1, math.ceil(seconds * tick_hz))
    cycle = scan_timing(workspace, workspace.project.chains[0])
    if cycle.stamped or cycle.items_limit is not None:
        return max(1, math.ceil(seconds * tick_hz))
    return math.ceil(
        max(1, math.ceil(seconds * cycle.cycle_rate_hz - 1e-9)) * cycle.cycle_s * tick_hz
    )


def _total(reception: StreamReceiver, key: str) -> int:
    """A count of the board's, over all converters."""
    return sum(count for name, count in reception.totals.items() if name.startswith(f"{key}."))


def _identify(transport: Port, reception: StreamReceiver) -> None:
    deadline = time.monotonic() + SILENCE_S
    asked_at = 0.0
    while reception.identity is None:
        if time.monotonic() > deadline:
            raise reception.identity_fault or LinkError(
                f"Whoever listens at {transport.name} does not say who it is.",
                cure="Is a board's firmware running?",
            )
        if time.monotonic() - asked_at > 0.5:
            transport.command("identify")
            asked_at = time.monotonic()
        reception.feed(transport.read())


class _Run:
    """Receives one run until the board has stopped, and sees to it that it does."""

    def __init__(
        self,
        transport: Port,
        reception: StreamReceiver,
        ticks: int,
        silence_s: float,
        clock: Callable[[], float],
        is_ended: Callable[[], bool],
        progress: Callable[[float], None] | None,
        recorder: PlannedRecorder | None = None,
    ) -> None:
        self._transport = transport
        self._reception = reception
        self._ticks = ticks
        self._silence_s = silence_s
        self._clock = clock
        self._is_ended = is_ended
        self._progress = progress
        self._recorder = recorder
        self._stop_said_s: float | None = None

    def receive(self) -> str:
        """Take what comes; the answer says why the run ended before the board stopped by itself, ""
        where it did."""
        reception, transport = self._reception, self._transport
        moved_at = asked_at = time.monotonic()
        moved_clock = self._clock()
        moved = (0, 0)
        assert reception.identity is not None
        # a chain that never starts says nothing until it is stopped
        run_s = self._ticks / reception.identity.tick_hz
        silence_s, longest_s = self._silence_s + run_s, LONGEST_SILENCE_S + run_s
        ended = ""
        while not reception.stopped:
            data = transport.read()
            now = time.monotonic()
            if data:
                self._feed(data)
                before, moved = moved, (reception.bytes_taken, reception.totals.get("ticks", 0))
                if moved != before:
                    moved_at, moved_clock = now, self._clock()
            elif self._clock() - moved_clock > silence_s or now - moved_at > longest_s:
                return ended or "The board fell silent before it said that it had stopped."
            if reception.refusal and not reception.bytes_taken:
                return f"The board does not start: {reception.refusal}."
            if (
                now - max(asked_at, moved_at) > ASK_S
            ):  # whoever is slow still answers, and its time goes on
                asked_at = now
                transport.command("query")
            if self._recorder is not None and self._recorder.asks and now - asked_at > ASK_SOON_S:
                asked_at = now
                transport.command("query")
            reception.flush_if_due()
            if reception.writing_fault is not None:
                ended = str(reception.writing_fault)
            elif self._is_ended():
                ended = "The run was ended from outside before its time."
            if self._recorder is not None and self._recorder.is_over:
                self._stop()
            if ended or max(reception.ticks, reception.totals.get("ticks", 0)) > self._ticks:
                self._stop()
            if (
                self._stop_said_s is not None
                and self._clock() - self._stop_said_s > self._silence_s
            ):
                return ended or "The board was told to stop after its time and did not."
            if self._progress is not None:
                self._progress(min(1.0, reception.ticks / self._ticks))
        return ended

    def _feed(self, data: bytes) -> None:
        """In pieces where takes may begin and end in between."""
        piece = PIECE_BYTES if self._recorder is not None else len(data)
        for begin in range(0, len(data), piece):
            self._reception.feed(data[begin : begin + piece])

    def _stop(self) -> None:
        """Tell the board to stop, once: firmware need not know how long it is to run."""
        if self._stop_said_s is None:
            self._stop_said_s = self._clock()
            self._transport.command("stop")
