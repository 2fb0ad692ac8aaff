"""How a cell shows that something is wrong with it."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QPainter

from wattigram.core.advise.findings import Finding
from wattigram.desktop.theme import color, text_font, theme
from wattigram.desktop.widgets.drawing import draw_verdict


def paint_finding(painter: QPainter, cell: QRectF, finding: Finding) -> None:
    """A tint over the cell, and a cross or an exclamation mark in its corner."""
    t = theme()
    shade = {"error": t.bad, "warning": t.doubt, "note": t.faint}[finding.severity]
    painter.fillRect(cell.adjusted(1, 1, 0, -1), color(shade, 26))
    spot = QRectF(cell.right() - 18, cell.top() + 7, 11, 11)
    if finding.severity == "error":
        draw_verdict(painter, spot, False, color(t.good), color(t.bad), color(t.faint))
    else:
        painter.setFont(text_font(0, QFont.Weight.Bold))
        painter.setPen(color(shade))
        painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, "!")
