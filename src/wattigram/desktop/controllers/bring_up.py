"""What is known of a board that is brought up, from all who see something of it."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget

from wattigram.core.capture.bring_up import (
    BringUpFacts,
    ClockCheck,
    LinkCheck,
    Step,
    bring_up_steps,
    observe,
)
from wattigram.core.capture.session import Snapshot, is_virtual
from wattigram.core.firmware import BuildResult
from wattigram.desktop.controllers.bench_actions import BenchActions
from wattigram.desktop.controllers.board_session import LiveBoard
from wattigram.desktop.controllers.firmware_controller import FirmwareWork
from wattigram.desktop.controllers.proof_controller import Proving
from wattigram.desktop.state.document import Document
from wattigram.desktop.widgets.bring_up_window import BringUpWindow

EVERY_MS = 400
"""How often steps are looked at; what the board says comes far more often."""


class BringUp(QObject):
    """Shows the steps in a window of their own; ``acts`` are what their buttons do."""

    def __init__(
        self,
        parent: QWidget,
        document: Document,
        board: LiveBoard,
        firmware: FirmwareWork,
        proving: Proving,
        bench: BenchActions,
    ) -> None:
        super().__init__(parent)
        self._parent, self._document, self._board = parent, document, board
        self._firmware, self._proving = firmware, proving
        self._wiring_bar = bench.wiring_bar
        self._wall: Callable[[], float] = time.monotonic
        self.clock, self.link = ClockCheck(), LinkCheck()
        self.window: BringUpWindow | None = None
        self.acts: dict[str, Callable[[], object]] = {
            "firmware": firmware.build,
            "identity": board.start,
            "clock": self.clock.forget,
            "link": self.link.forget,
            "wiring": bench.check_wiring,
            "proof": proving.record_and_prove,
        }
        self._wiring = self._wiring_bar.check
        self._address = board.address
        self._silent_since: float | None = None
        self._recorded = ""
        self._judged: Path | None = None
        """The take of a board whose proof is shown."""
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(self.tell)
        board.snapshot.connect(self._look)
        proving.proved.connect(self._on_proved)
        document.replaced.connect(self._forget)

    @property
    def is_watched(self) -> bool:
        """Somebody looks."""
        return self._timer.isActive()

    def use_wall(self, wall: Callable[[], float]) -> None:
        """Hold boards against another clock than this computer's: seconds since whenever."""
        self._wall = wall
        self._forget()

    def show(self) -> None:
        """The steps from the design to a proof on a board, beside whatever page is in sight."""
        if self.window is None:
            self.window = BringUpWindow(self._parent)
            self.window.acted.connect(self._act)
            self.window.finished.connect(lambda _code: self._timer.stop())
        self._timer.start()
        self.tell()
        self.window.show()
        self.window.raise_()

    def tell(self) -> None:
        """Show the steps as they stand."""
        if self.window is not None:
            self.window.show_steps(self.steps)

    def _act(self, key: str) -> None:
        self.acts[key]()
        self.tell()

    def _forget(self) -> None:
        """Another project, or another board."""
        self.clock.forget()
        self.link.forget()
        self._wiring, self._silent_since = None, None
        self._recorded, self._judged = "", None

    def _look(self, snapshot: Snapshot) -> None:
        if self._board.address != self._address:
            self._address = self._board.address
            self._forget()
        now = self._wall()
        if snapshot.state not in {"idle", "running"} or snapshot.board:
            self._silent_since = None
        elif self._silent_since is None:
            self._silent_since = now
        observe(self.clock, self.link, snapshot, now)
        if snapshot.recorded is not None and not is_virtual(self._address):
            self._recorded = snapshot.recorded.name

    def _on_proved(self, _proved: object) -> None:
        latest = self._proving.latest
        if latest is not None and not is_virtual(self._board.address):
            self._recorded, self._judged = latest.take.name, latest.take

    @property
    def steps(self) -> tuple[Step, ...]:
        """All steps in their order."""
        if self._wiring_bar.check is not None:
            self._wiring = self._wiring_bar.check
        return bring_up_steps(self._document.workspace, self._facts())

    def _facts(self) -> BringUpFacts:
        firmware, latest = self._firmware, self._proving.latest
        errors = tuple(
            one.title
            for one in self._document.findings
            if one.severity == "error" and not one.accepted
        )
        proof = None
        if latest is not None and (latest.take == self._judged or is_virtual(self._address)):
            count = latest.proof.count
            proof = count("holds"), count("fails"), count("open")
        silent = self._silent_since
        result = firmware.result
        return BringUpFacts(
            errors=errors,
            build="none" if result is None else "built" if firmware.is_current else "old",
            build_said=_said_of(result) if result is not None else "",
            address=self._address,
            snapshot=self._board.latest,
            silent_s=0.0 if silent is None else self._wall() - silent,
            clock=self.clock,
            link=self.link,
            wiring=self._wiring,
            recorded=self._recorded,
            proof=proof,
        )


def _said_of(result: BuildResult) -> str:
    """What the compiler made, in a line."""
    count = result.warnings
    complaints = "no warning" if not count else f"{count} warning{'s' if count > 1 else ''}"
    return f"{result.code_bytes} bytes of code, {result.data_bytes} of data, {complaints}."
