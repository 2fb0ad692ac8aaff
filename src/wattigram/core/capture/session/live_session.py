"""A running board behind one worker thread that owns the link and the take.

The thread hands out immutable snapshots at display rate; commands go in through a queue. No lock
is held while somebody draws, and the writer never waits for a repaint.
"""

from __future__ import annotations

import logging
import queue
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from wattigram.core.base.errors import LinkError, TakeError, WattigramError, internal_error
from wattigram.core.base.models import json_of
from wattigram.core.capture.session.address import IMAGE, is_serial, is_virtual
from wattigram.core.capture.session.board_process import ChildBoard, virtual_board
from wattigram.core.capture.session.continuation import SuspendedTake, finish_suspended, new_take
from wattigram.core.capture.session.link_load import overload_text
from wattigram.core.capture.session.live_run import LiveRun
from wattigram.core.capture.session.memory_reader import LOOK_S, read_memory
from wattigram.core.capture.session.output_view import output_pictures
from wattigram.core.capture.session.pointed_history import PointedHistory
from wattigram.core.capture.session.port import debugger_of, open_port
from wattigram.core.capture.session.recording_plan import RecordingPlan
from wattigram.core.capture.session.run_takes import RunTakes
from wattigram.core.capture.session.snapshot import Snapshot, ViewRequest
from wattigram.core.capture.session.stream_drawer import StreamDrawer
from wattigram.core.capture.session.stream_receiver import StreamReceiver
from wattigram.core.capture.transport.debug_client import DebugClient
from wattigram.core.contract.image import MemoryLocation
from wattigram.core.model.design import (
    Workspace,
    project_text,
)
from wattigram.core.predict.expected import History
from wattigram.core.silicon.deploy import effective_bench

if TYPE_CHECKING:
    from wattigram.core.capture.session.port import Port

_log = logging.getLogger(__name__)
DISPLAY_S = 1 / 30
IDENTIFY_S = 3.0
ASK_AGAIN_S = 0.5
STOP_S = 2.0
"""So long a board may take to say that it has stopped."""
READ_S = 0.005
ASK_SOON_S = 0.05
ASK_S = 0.7
"""So often a running board is asked for its counts."""


class LiveSession:
    """Connects to a board, runs it, records it.

    ``on_snapshot`` is called from the worker thread.
    """

    def __init__(
        self, workspace: Workspace, address: str, on_snapshot: Callable[[Snapshot], None]
    ) -> None:
        self._workspace = workspace
        self._address = address
        self._on_snapshot = on_snapshot
        self._commands: queue.SimpleQueue[Callable[[], None]] = queue.SimpleQueue()
        self._requests: tuple[ViewRequest, ...] = ()
        self._closing = threading.Event()
        self._running = False
        self._state = "off"
        self._message = ""
        self._recorded: Path | None = None
        self._begins: _Beginning | None = None
        self._stop_asked_s: float | None = None
        self.suspended: SuspendedTake | None = None
        """A take that was being written when the board went away; whoever has seen the session fail
        takes it."""
        self._history: History = ((0, workspace),)
        self._pointed = PointedHistory()
        self._reception = StreamReceiver(workspace, keeps=True)
        self._takes = RunTakes(self._reception, lambda: self._history)
        self.now = LiveRun(self._takes.kept, workspace)
        """What is kept of the run, to be drawn while it grows."""
        self._drawer = StreamDrawer(self._reception)
        self._transport: Port | None = None
        self._board: ChildBoard | None = None
        self._awaited_bench: Workspace | None = None
        self._looks: tuple[MemoryLocation, ...] = ()
        self._debugger: DebugClient | None = None
        self._memory: dict[str, bytes] = {}
        self._thread = threading.Thread(target=self._work, name="wattigram-link", daemon=True)
        self._thread.start()

    def request_views(self, requests: tuple[ViewRequest, ...]) -> None:
        """Say what is to be drawn in the next snapshots."""
        self._requests = requests

    def look_at(self, places: tuple[MemoryLocation, ...]) -> None:
        """Say which places of the image's memory are to be read; nothing is, where the board runs
        no image."""
        self._looks = places

    def start(self, take: Path | None = None, suspended: SuspendedTake | None = None) -> None:
        """Start the board anew, recording into ``take`` where one is given, or on in a take that
        was suspended."""
        self._commands.put(lambda: self._begin(_Beginning(take, suspended)))

    def record(self, take: Path) -> None:
        """Record into ``take`` while the board runs on, with what is kept of before."""
        self._commands.put(lambda: self._record(take))

    def end_recording(self) -> None:
        """End the take that is being written; the board runs on."""
        self._commands.put(self._end_recording)

    def hold(self, plan: RecordingPlan | None, folder: Path) -> None:
        """Record takes into a folder as a plan says, as long as the board runs; None to hold no more."""
        self._commands.put(lambda: self._hold(plan, folder))

    def freeze(self, take: Path) -> None:
        """Write what is kept of the run now as a take of its own; the board runs on."""
        self._commands.put(lambda: self._takes.freeze(take))

    def copy(self, take: Path, begin_s: float) -> None:
        """Write what came since ``begin_s``, in seconds since the board's start, to be measured."""
        self._commands.put(lambda: self._takes.copy(take, begin_s))

    def stop(self) -> None:
        """Stop the board; a recording is finished."""
        self._commands.put(self._stop)

    def turn_knobs(self, workspace: Workspace) -> None:
        """Change what is wired to the pins of the virtual board, also while it runs."""
        self._commands.put(lambda: self._turn_knobs(workspace))

    def close(self, wait: bool = True) -> None:
        """Stop, disconnect and end the thread; a virtual board ends with it."""
        self._closing.set()
        if wait:
            self._thread.join(timeout=10)

    @property
    def is_virtual(self) -> bool:
        """The board is a process of the session's own."""
        return is_virtual(self._address)

    @property
    def is_over(self) -> bool:
        """The thread has ended."""
        return not self._thread.is_alive()

    def _work(self) -> None:
        try:
            self._connect()
            self._loop()
        except LinkError as fault:
            self._takes.end_hold()
            self._state, self._message = "failed", str(fault)
            if is_serial(self._address):
                self.suspended = (
                    self._begins.suspended if self._begins else self._reception.suspend()
                )
        except WattigramError as fault:
            self._state, self._message = "failed", str(fault)
        except (
            Exception
        ) as fault:  # a thread that dies unheard would leave the window saying “recording”
            _log.exception("The session ended unexpectedly")
            self._state, self._message = (
                "failed",
                internal_error("The connection to the board", fault),
            )
        finally:
            if (
                self._begins is not None
                and self._begins.suspended is not None
                and self.suspended is None
            ):
                finish_suspended(self._begins.suspended)
            self._takes.end_hold()
            self._finish_take(
                self._message if self._state == "failed" else "The connection was ended."
            )
            if self._debugger is not None:
                self._debugger.close()
            if self._transport is not None:
                self._transport.close()
            if self._board is not None:
                self._board.close()
        if self._state == "failed":
            self._publish()

    def _connect(self) -> None:
        address = self._address
        self._board = virtual_board(address, self._workspace)
        if self._board is not None:
            address = self._board.address
        self._transport = open_port(self._workspace, address, wait_s=READ_S, looks_only=True)
        self._debugger = debugger_of(self._transport)
        self._transport.command("identify")
        self._state = "idle"
        self._message = overload_text(self._workspace, address)

    def _loop(self) -> None:
        assert self._transport is not None
        published = asked = looked = 0.0
        while not self._closing.is_set():
            self._obey()
            data = self._transport.read()
            if data:
                self._reception.feed(data)
                self._after_feed()
            self._reception.flush_if_due()
            self._message = self._takes.follow_hold() or self._message
            self._tell_fault()
            now = time.monotonic()
            if self._begins is not None:
                self._go_on_beginning(now)
            self._give_up_stopping(now)
            if self._running and now - asked >= (ASK_SOON_S if self._takes.asks else ASK_S):
                asked = now
                self._transport.command("query")
            if self._looks and now - looked >= LOOK_S:
                looked = now
                self._look()
            if now - published >= DISPLAY_S:
                published = now
                self._publish()
        if self._running:
            self._transport.command("stop")
            self._await_stop()

    def _await_stop(self) -> None:
        """What the board still sends after it was told to stop belongs to the take."""
        assert self._transport is not None
        deadline = time.monotonic() + STOP_S
        while (
            self._reception.writer is not None
            and not self._reception.stopped
            and time.monotonic() < deadline
        ):
            self._reception.feed(self._transport.read())

    def _tell_fault(self) -> None:
        """Say once why a take ended before its time, and what the board would not do."""
        refusal, self._reception.refusal = self._reception.refusal, ""
        if refusal:
            self._message = f"The board refuses: {refusal}."
        fault, self._reception.writing_fault = self._reception.writing_fault, None
        if fault is not None:
            self._message = str(fault)
            self._recorded = Path(fault.where)

    def _look(self) -> None:
        """Read what is looked at; a debug server that does not answer is told once, and no longer
        asked."""
        try:
            if self._debugger is None:
                port = self._board.ready.get("gdb") if self._board is not None else None
                if not isinstance(port, int):
                    return
                self._debugger = DebugClient("127.0.0.1", port)
            self._memory = read_memory(self._debugger, self._looks)
        except LinkError as fault:
            self._message, self._looks = str(fault), ()
            if self._debugger is not None:
                self._debugger.close()
                self._debugger = None

    def _obey(self) -> None:
        while True:
            try:
                command = self._commands.get_nowait()
            except queue.Empty:
                return
            try:
                command()
            except TakeError as fault:
                self._message = str(fault)

    def _after_feed(self) -> None:
        reception = self._reception
        if reception.stopped and self._running:
            self._takes.end_hold()
            self._running = False
            self._stop_asked_s = None
            self._state = "idle"
            self._finish_take()
        if reception.bench_ticks is not None and self._awaited_bench is not None:
            ticks, workspace = reception.bench_ticks, self._awaited_bench
            reception.bench_ticks = self._awaited_bench = None
            self._history = (
                (*self._history, (ticks, workspace)) if self._running else ((0, workspace),)
            )
            reception.add_bench(ticks, project_text(workspace.project))

    def _begin(self, begins: _Beginning) -> None:
        """Start at once, or as soon as the board has said who it is where a take is to be
        written."""
        self._finish_take("Another run was started.")
        self._begins = begins
        self._go_on_beginning(time.monotonic())

    def _go_on_beginning(self, now: float) -> None:
        begins = self._begins
        assert begins is not None
        assert self._transport is not None
        records = begins.take is not None or begins.suspended is not None
        if self._reception.identity is not None or not records:
            self._begins = None
            self._start(begins)
        elif now - begins.began_s > IDENTIFY_S:
            raise self._reception.identity_fault or LinkError(
                f"Whoever listens at {self._transport.name} does not say who it is, so that no "
                "take can be written.",
                cure="Is a board's firmware running?",
            )
        elif now - begins.asked_s > ASK_AGAIN_S:
            begins.asked_s = now
            self._transport.command("identify")

    def _start(self, begins: _Beginning) -> None:
        assert self._transport is not None
        self._takes.end_hold()
        self._reception.begin()
        for channel in self.now.channels.values():
            channel.forget_extremes()
        workspace = self._history[-1][1]
        self._history = ((0, workspace),)
        self._message = overload_text(workspace, self._address)
        identity = self._reception.identity
        if begins.suspended is not None:
            self._reception.go_on(begins.suspended)
        elif begins.take is not None:
            assert identity is not None
            try:
                self._reception.start_writing(
                    new_take(workspace, identity, begins.take, numbered=True)
                )
            except TakeError as fault:
                self._message = str(fault)
        self._transport.command("start")
        self._stop_asked_s = None
        self._running = True
        self._state = "running"

    def _record(self, path: Path) -> None:
        """What comes and what is kept; a board that does not run is started for it."""
        if not self._running or self._reception.identity is None:
            self._begin(_Beginning(path, None))
            return
        self._takes.end_hold()
        self._finish_take("Another recording was started.")
        self._takes.record(path)

    def _end_recording(self) -> None:
        self._recorded = self._takes.end_recording() or self._recorded

    def _hold(self, plan: RecordingPlan | None, folder: Path) -> None:
        if plan is None:
            self._takes.end_hold()
        else:
            self._takes.hold(plan, folder)

    def _stop(self) -> None:
        assert self._transport is not None
        begins, self._begins = self._begins, None
        if begins is not None and begins.suspended is not None:
            finish_suspended(begins.suspended)
        if self._running:
            self._transport.command("stop")
            if self._stop_asked_s is None:
                self._stop_asked_s = time.monotonic()

    def _give_up_stopping(self, now: float) -> None:
        """A board that does not say that it has stopped keeps no take open."""
        if self._stop_asked_s is not None and now - self._stop_asked_s > STOP_S:
            self._stop_asked_s = None
            self._running = False
            self._state = "idle"
            self._message = "The board was told to stop and did not say that it did."
            self._finish_take(self._message)

    def _turn_knobs(self, workspace: Workspace) -> None:
        assert self._transport is not None
        self._awaited_bench = workspace
        self._transport.command("bench " + json_of(effective_bench(workspace)))

    def _finish_take(self, ended: str = "") -> None:
        try:
            writer = self._reception.finish_writing("" if self._reception.stopped else ended)
            if writer is not None:
                self._recorded = writer.path
        except TakeError as fault:
            self._message = str(fault)

    def _publish(self) -> None:
        reception = self._reception
        identity = reception.identity
        workspace = self._history[-1][1]
        recorded, self._recorded = self._recorded, None
        self.now.update()
        takes = self._takes
        held, takes.held = tuple(takes.held), []
        frozen, takes.frozen = takes.frozen, None
        copied, takes.copied = takes.copied, None
        history = self._pointed.of(self._history, self.now)
        pictures = {}
        for request in self._requests:
            drawn = self._drawer.picture(request, history)
            if drawn is not None:
                pictures[request.signal] = drawn
        lead = workspace.project.chains[0] if workspace.project.chains else None
        cycles = reception.rings[0].end // len(lead.slots) if lead and 0 in reception.rings else 0
        tick_hz = identity.tick_hz if identity else workspace.bus_clock_hz.numerator
        self._on_snapshot(
            Snapshot(
                state=self._state,
                runs_image=self._address.startswith(IMAGE),
                message=self._message,
                board=identity.board if identity else "",
                build_id=identity.build_id if identity else "",
                mark_matches=reception.mark_matches,
                seconds=reception.ticks / tick_hz,
                totals=dict(reception.totals),
                cycles=cycles,
                samples=reception.samples,
                lost_cycles=reception.lost_cycles,
                bytes_came=reception.bytes_came,
                bytes_skipped=reception.decoder.stats.bytes_skipped,
                events=tuple(reception.events),
                event_count=reception.event_count,
                log=tuple(reception.log),
                pictures=pictures,
                outputs=output_pictures(
                    workspace, reception.rings, identity.tick_hz if identity else 1
                ),
                loop_places={
                    chain.buffer.name: reception.rings[stream].end % chain.buffer.samples
                    for stream, chain in enumerate(workspace.project.chains)
                    if stream in reception.rings
                },
                memory=dict(self._memory),
                recording=takes.recording,
                recording_since_s=takes.recording_since_s,
                recorded=recorded,
                held=held,
                frozen=frozen,
                copied=copied,
                hold=takes.hold_state,
                now=self.now,
                history=history,
            )
        )


class _Beginning(msgspec.Struct):
    """A start that waits until the board has said who it is."""

    take: Path | None
    suspended: SuspendedTake | None
    began_s: float = msgspec.field(default_factory=time.monotonic)
    asked_s: float = 0.0
