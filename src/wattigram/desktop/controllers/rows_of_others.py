"""Rows that another firmware sends, as the board."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtWidgets import QWidget

from wattigram.core.capture.session.address import ROWS
from wattigram.core.capture.transport import DEFAULT_BAUD, serial_ports
from wattigram.core.model.design.edits import SetRows
from wattigram.desktop.controllers.board_choice import BEHIND, BoardChoice
from wattigram.desktop.controllers.board_session import LiveBoard
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.jobs import Job

if TYPE_CHECKING:
    from wattigram.desktop.widgets.streams.rows_dialog import RowsDialog


class RowsOfOthers(QObject):
    """Asks how they are written, keeps it in the project, and listens to them as to any board."""

    def __init__(
        self,
        parent: QWidget,
        document: Document,
        board: LiveBoard,
        choice: BoardChoice,
        run_job: Callable[[Job], None],
        show: Callable[[], None],
    ) -> None:
        super().__init__(parent)
        self._parent, self._document, self._board = parent, document, board
        self._choice, self._run_job, self._show = choice, run_job, show
        self.dialog: RowsDialog | None = None

    def ask(self) -> None:
        """Show the form; the window stays usable."""
        from wattigram.desktop.widgets.streams.rows_dialog import RowsDialog  # late: few need it

        here = self._board.address
        ports = [
            f"serial:{port.device}@{DEFAULT_BAUD}{BEHIND}{port.text}" for port in serial_ports()
        ]
        sources = [here.removeprefix(ROWS)] if here.startswith(ROWS) else []
        sources += [*ports, "tcp:localhost:5000"]
        self.dialog = dialog = RowsDialog(self._parent, self._document.workspace, sources)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.job_wanted.connect(self._run_job)
        dialog.wanted.connect(self._use)
        dialog.show()

    def _use(self, source: str, edit: SetRows) -> None:
        self._document.edit(edit)
        if self._document.workspace.project.rows == edit.rows:  # it was not refused, or said before
            self._choice.use(f"{ROWS}{source}")
            self._board.start()
            self._show()
