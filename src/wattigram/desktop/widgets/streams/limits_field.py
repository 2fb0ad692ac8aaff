"""Limits of a strip, typed in it."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from wattigram.core.base.errors import QuantityError
from wattigram.desktop.widgets.streams.strip_limits import Span, parse_span, span_text
from wattigram.desktop.widgets.streams.strips import Strip

WIDEST = 260


class LimitsField(QLineEdit):
    """Shown while somebody types; Enter takes the limits, Escape leaves them."""

    taken = pyqtSignal(object, object)
    """Trace, and (lowest, highest)"""
    ended = pyqtSignal()
    said = pyqtSignal(str)
    """Why what was typed is not taken."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("Limits of the strip")
        self.setToolTip("Lowest and highest value; Enter takes them, Escape leaves them.")
        self._trace: Strip | None = None
        self.returnPressed.connect(self._take)
        self.hide()

    def ask(self, trace: Strip, span: Span, lane: QRectF) -> None:
        """Show what a strip's limits are, to be changed."""
        self._trace = trace
        self.setText(span_text(span, trace.unit))
        self.resize(min(WIDEST, int(lane.width())), self.sizeHint().height())
        self.move(int(lane.left()) + 4, int(lane.top()) + 2)
        self.show()
        self.selectAll()
        self.setFocus()

    def _take(self) -> None:
        trace = self._trace
        if trace is None:
            return
        try:
            span = parse_span(self.text(), trace.unit, trace.step)
        except QuantityError as fault:
            self.said.emit(str(fault))
            return
        self.leave()
        self.taken.emit(trace, span)

    def leave(self) -> None:
        """Nothing is typed any more."""
        if self._trace is not None:
            self._trace = None
            self.hide()
            self.ended.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape leaves the limits as they were."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            super().keyPressEvent(event)
