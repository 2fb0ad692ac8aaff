"""Every choice of timer and points for a wanted frequency, the exact ones first."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QResizeEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from wattigram.core.base.quantity import format_si
from wattigram.core.predict.waveform import WaveChoice
from wattigram.desktop.theme import number_font, text_font

MARGIN, HEAD_MARGIN = 17, 10
"""Pixels about what stands in a column, and in its head."""
HEADS = ("points", "timer", "frequency", "error", "image", "memory")


class SolverTable(QTableWidget):
    """A line a choice; Enter or a double click takes it."""

    chosen = pyqtSignal(int)
    """Points of the choice."""

    def __init__(self) -> None:
        super().__init__(0, len(HEADS))
        self.setAccessibleName("Choices of timer and points")
        self.setObjectName("dense")
        self.setHorizontalHeaderLabels(HEADS)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setFont(number_font(-1.5))
        header = self.horizontalHeader()
        rows = self.verticalHeader()
        assert header is not None
        assert rows is not None
        header.setFont(text_font(-1))
        header.setMinimumSectionSize(30)
        # Widths that follow every item on their own would be worked out anew for each of them.
        header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        header.setStretchLastSection(True)
        rows.hide()
        rows.setDefaultSectionSize(19)
        self.choices: tuple[WaveChoice, ...] = ()
        self._points = 0
        self._longest = [0] * len(HEADS)
        """Characters in each column; they are all of one width."""
        self._fit()
        self.cellActivated.connect(lambda row, _column: self.chosen.emit(self.choices[row].points))

    def show_choices(self, choices: tuple[WaveChoice, ...], points: int) -> None:
        """Show choices, the one with so many points marked."""
        if (choices, points) == (self.choices, self._points):
            return
        self.choices, self._points = choices, points
        self.setRowCount(len(choices))
        self._longest = [0] * len(HEADS)
        for row, choice in enumerate(choices):
            texts = (
                f"{'▸ ' if choice.points == points else ''}{choice.points}",
                f"{choice.prescaler} × {choice.period_counts}",
                format_si(choice.wave_hz, "Hz", 8),
                "exact" if not choice.error else f"{choice.error_ppm:+.3g} ppm",
                f"{choice.image_dbc:.1f} dBc",
                format_si(choice.bytes, "B", 6),
            )
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.setItem(row, column, item)
                self._longest[column] = max(self._longest[column], len(text))
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Columns share what room there is."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """As wide as what stands in each, and what is left is shared."""
        viewport, head = self.viewport(), QFontMetrics(text_font(-1))
        digit = self.fontMetrics().horizontalAdvance("0")
        least = [
            max(head.horizontalAdvance(name) + HEAD_MARGIN, longest * digit + MARGIN)
            for name, longest in zip(HEADS, self._longest, strict=True)
        ]
        left = (viewport.width() if viewport is not None else 0) - sum(least)
        each = max(0, left) // len(HEADS)
        for column, width in enumerate(least):
            self.setColumnWidth(column, width + each)

    def text(self) -> str:
        """All lines with tabs between, to be copied."""
        rows: list[tuple[str, ...]] = [HEADS]
        for row in range(self.rowCount()):
            items = [self.item(row, column) for column in range(len(HEADS))]
            rows.append(tuple(item.text() if item is not None else "" for item in items))
        return "\n".join("\t".join(row) for row in rows)
