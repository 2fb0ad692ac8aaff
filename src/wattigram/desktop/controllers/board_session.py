"""The live session seen from the main thread."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.session import Snapshot, ViewRequest, is_virtual
from wattigram.core.capture.session.address import IMAGE
from wattigram.core.model.bench import BoardSource, SerialSource
from wattigram.core.model.design import Workspace
from wattigram.desktop.controllers.reconnect import PortWatch

if TYPE_CHECKING:
    from wattigram.core.capture.session import LiveSession
    from wattigram.core.capture.session.continuation import SuspendedTake
    from wattigram.core.capture.session.recording_plan import RecordingPlan
    from wattigram.core.contract.image import MemoryLocation

RESTART_MS = 350


class LiveBoard(QObject):
    """Runs the board of the current design; starts the virtual board anew when the design
    changes."""

    snapshot = pyqtSignal(object)
    message = pyqtSignal(str)
    _arrived = pyqtSignal(int, object)

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self._session: LiveSession | None = None
        self._ending: list[LiveSession] = []
        self._requests: tuple[ViewRequest, ...] = ()
        self._looks: tuple[MemoryLocation, ...] = ()
        self._shown: frozenset[tuple[str, bool]] = frozenset()
        self._wants_run = False
        self._generation = 0
        self.address = "virtual"
        self.latest = Snapshot()
        self._arrived.connect(self._take)
        self._restart = QTimer(self)
        self._restart.setSingleShot(True)
        self._restart.setInterval(RESTART_MS)
        self._restart.timeout.connect(self._start_anew)
        self._port = PortWatch()
        self._port.returned.connect(self._on_returned)
        self._ran_before = False
        self._greeting = ""
        self._told = ""
        self._suspended: SuspendedTake | None = None

    @property
    def is_running(self) -> bool:
        """The board runs, or is about to."""
        return self._wants_run

    def request_views(self, requests: tuple[ViewRequest, ...]) -> None:
        """What snapshots are to show."""
        self._requests = requests
        if self._session is not None:
            self._session.request_views(requests)

    def look_at(self, places: tuple[MemoryLocation, ...]) -> None:
        """What of the image's memory snapshots are to bring."""
        self._looks = places
        if self._session is not None:
            self._session.look_at(places)

    def start(self, take: Path | None = None) -> None:
        """Run the board, recording where a path is given."""
        self._end_suspended()
        self._wants_run = True
        self._greeting = self._told = ""
        self._restart.stop()
        if not self._port.is_waiting:
            self._port.note(self.address)
        self._port.stop()
        self._connect()
        assert self._session is not None
        self._session.start(take)

    def record(self, take: Path) -> None:
        """Record into a take, with what is kept of the run; a board that does not run is started."""
        if self._session is None or self.latest.state != "running":
            self.start(take)
        else:
            self._session.record(take)

    def end_recording(self) -> None:
        """End the take; the board runs on. One that waits for its board to come back ends as well."""
        if self._suspended is not None or self._session is None:
            self.stop()
        else:
            self._session.end_recording()

    def hold(self, plan: RecordingPlan | None, folder: Path) -> None:
        """Watch the board for something, and record what lies about it into a folder; None to watch no more."""
        if self._session is None or self.latest.state != "running":
            self.message.emit("The board does not run. Run it with F5.")
        else:
            self._session.hold(plan, folder)

    def freeze(self, take: Path) -> None:
        """Make a take of what is kept of the run."""
        if self._session is not None:
            self._session.freeze(take)

    def copy(self, take: Path, begin_s: float) -> None:
        """Have what came since an instant written to be measured."""
        if self._session is not None:
            self._session.copy(take, begin_s)

    def show_now(self, shown: frozenset[tuple[str, bool]]) -> None:
        """Which signals of the run are looked at, by name and whether after their filter."""
        self._shown = shown
        if self._session is not None:
            self._session.now.shown = shown

    def stop(self) -> None:
        """Stop the board; a take that waits for a board to come back ends with what it has."""
        self._wants_run = False
        self._end_suspended()
        self._restart.stop()
        if self._session is not None:
            self._session.stop()

    def release(self) -> None:
        """Let the board go, so that somebody else can use it."""
        self._wants_run = False
        self._end_suspended()
        self._greeting = self._told = ""
        self._port.stop()
        self._drop()
        self.latest = Snapshot()
        self.snapshot.emit(self.latest)

    def set_workspace(self, workspace: Workspace) -> None:
        """Follow the design.

        A change of the bench turns the virtual board's knobs; any other needs a virtual board built
        anew, and so do bytes on a wire and boards of other projects.
        A real board stays what it is: it is asked anew who it is, so that its other build mark is
        noticed.
        """
        before, self._workspace = self._workspace, workspace
        if self._session is None:
            return
        is_rewired = workspace.project.bench != before.project.bench
        is_new = workspace.build_id != before.build_id
        is_ours = is_virtual(self.address) or self.address.startswith(IMAGE)
        measures_other = _said_of_values(workspace) != _said_of_values(before)
        sends_other = is_ours and _senders(workspace) != _senders(before)
        if is_new or measures_other or sends_other or (is_rewired and not is_virtual(self.address)):
            self._restart.start()
        elif is_rewired and not self._restart.isActive():  # else it begins anew with all of it
            self._session.turn_knobs(workspace)

    def set_address(self, address: str) -> None:
        """Use another board; the present one is let go."""
        self.address = address
        self.release()

    def _start_anew(self) -> None:
        runs = self._wants_run
        self._drop()
        if runs:
            self.start()

    def _connect(self) -> None:
        if self._session is None:
            from wattigram.core.capture.session import (
                LiveSession,
            )  # late: the window starts without it

            self._generation += 1
            arrived, generation = self._arrived, self._generation
            self._session = LiveSession(
                self._workspace, self.address, lambda shot: arrived.emit(generation, shot)
            )
            self._session.request_views(self._requests)
            self._session.look_at(self._looks)
            self._session.now.shown = self._shown

    def _take(self, generation: int, snapshot: Snapshot) -> None:
        if generation != self._generation or self._session is None:
            return  # from a board that has been let go
        self.latest = snapshot
        if snapshot.state == "failed":
            self._ran_before, self._wants_run = self._wants_run, False
            suspended, self._session.suspended = self._session.suspended, None
            self._drop()
            self._port.wait()
            if suspended is not None:
                self._suspended = suspended
                if self._port.is_waiting:
                    self._told = f"{snapshot.message} The take goes on when it is back; stop recording to end it here."
                    snapshot = replace(snapshot, recording=suspended.writer.path)
                    self.latest = snapshot
                    self.message.emit(self._told)
                    self.snapshot.emit(snapshot)
                    return
                snapshot = replace(snapshot, recorded=suspended.writer.path)
                self._end_suspended(tells=False)
        self._tell(snapshot)
        self.snapshot.emit(snapshot)

    def _tell(self, snapshot: Snapshot) -> None:
        """Say what a session has to say once, so that whatever is said later is not written
        over."""
        greeting = self._greeting if snapshot.state != "failed" else ""
        text = " ".join(part for part in [greeting, snapshot.message] if part)
        if text != self._told:
            self._told = text
            if text:
                self.message.emit(text)

    def _on_returned(self) -> None:
        """The device is there again: connect, and run where it ran when it went away."""
        self._greeting, self._told = f"{self.address} is back.", ""
        self._wants_run = self._ran_before
        self._connect()
        if self._wants_run and self._session is not None:
            suspended, self._suspended = self._suspended, None
            self._session.start(None, suspended)

    def _end_suspended(self, tells: bool = True) -> None:
        """Nobody waits for the board any more: its take ends with what it has."""
        suspended, self._suspended = self._suspended, None
        if suspended is None:
            return
        from wattigram.core.capture.session.continuation import (
            finish_suspended,
        )  # late: the window starts without it

        try:
            finish_suspended(suspended)
        except WattigramError as fault:
            self.message.emit(str(fault))
        if tells:
            self.latest = replace(self.latest, recording=None, recorded=suspended.writer.path)
            self.snapshot.emit(self.latest)
            self.latest = replace(self.latest, recorded=None)

    def _drop(self) -> None:
        if self._session is not None:
            session, self._session = self._session, None
            # A port opens for one at a time: whoever comes next must find it free. A virtual board
            # is nobody else's.
            session.close(wait=not session.is_virtual)
            self._ending = [other for other in self._ending if not other.is_over]
            self._ending.append(session)

    def close(self) -> None:
        """Let the board go, and wait until its thread has ended."""
        self._end_suspended(tells=False)
        self._restart.stop()
        self._port.stop()
        self._drop()
        for session in self._ending:
            session.close()
        self._ending.clear()


def _said_of_values(workspace: Workspace) -> tuple[object, ...]:
    """What no firmware knows and a session does: quantities, and rows of other firmware."""
    project = workspace.project
    return (project.rows, *((one.quantity, one.column) for one in project.signals))


def _senders(workspace: Workspace) -> tuple[object, ...]:
    """What no knob turns: whoever sends bytes, and the other boards with their designs."""
    wired = [
        wiring
        for wiring in workspace.project.bench
        if isinstance(wiring.source, (SerialSource, BoardSource))
    ]
    return (*wired, *(other.project for other in workspace.others.values()))
