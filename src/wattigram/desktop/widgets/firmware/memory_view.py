"""Variables of the running image, each in a row of its own."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from wattigram.core.contract.image import MemoryLocation
from wattigram.core.model.design import Workspace
from wattigram.desktop.widgets.firmware.memory_row import MemoryRow
from wattigram.desktop.widgets.seen_table import SeenTable


class MemoryView(QWidget):
    """A row for each place that is looked at; a row that stays keeps what it knows and how it is
    shown."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAccessibleName("Variables of the running image")
        self.rows: dict[str, MemoryRow] = {}
        self._nothing = QLabel(
            "Choose variables on the left, and run the image on the virtual board."
        )
        self._nothing.setObjectName("soft")
        self._nothing.setMargin(18)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self._column.addWidget(self._nothing)
        self._column.addStretch(1)

    @property
    def places(self) -> tuple[MemoryLocation, ...]:
        """What is looked at."""
        return tuple(row.place for row in self.rows.values())

    def show_places(self, workspace: Workspace, places: tuple[MemoryLocation, ...]) -> None:
        """Show other variables, in this order."""
        before, self.rows = self.rows, {}
        for number, one in enumerate(places):
            row = before.get(one.name)
            if row is None or row.place != one:
                row = MemoryRow(workspace, one)
            else:
                del before[one.name]
                row.show_design(workspace)
            self.rows[one.name] = row
            if self._column.indexOf(row) != number:
                self._column.insertWidget(number, row, 0, Qt.AlignmentFlag.AlignTop)
        for row in before.values():
            self._column.removeWidget(row)
            row.hide()
            row.deleteLater()
        self._nothing.setVisible(not places)

    @property
    def wanted(self) -> tuple[MemoryLocation, ...]:
        """What must be read for it: the variables, and the write places of loops."""
        locations = list(self.places)
        for row in self.rows.values():
            if (
                row.look is not None
                and row.look.place is not None
                and row.look.place not in locations
            ):
                locations.append(row.look.place)
        return tuple(locations)

    def show_memory(self, memory: dict[str, bytes]) -> None:
        """New bytes, by name."""
        for row in self.rows.values():
            data = memory.get(row.place.name)
            if data is None or len(data) < row.place.size:
                continue
            row.canvas.show_values(row.place.numbers(data), self._next_index(row, memory))

    @staticmethod
    def _next_index(row: MemoryRow, memory: dict[str, bytes]) -> int | None:
        """Where DMA writes into a loop next, where that is known."""
        counter = row.look.place if row.look is not None else None
        data = memory.get(counter.name) if counter is not None else None
        if counter is None or data is None or len(data) < counter.size:
            return None
        return int(counter.numbers(data)[0]) % row.place.count

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """A row for each line of a variable's text."""
        rows = tuple(
            (name, line)
            for name, row in self.rows.items()
            for line in row.canvas.text().splitlines()
        )
        return (SeenTable("Memory", ("Variable", "Holds"), rows),) if rows else ()

    def text(self) -> str:
        """All that is shown, as text."""
        return "\n".join(f"{name}\n{row.canvas.text()}\n" for name, row in self.rows.items())
