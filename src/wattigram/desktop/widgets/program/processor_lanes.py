"""The processor to scale: ISRs and what the main loop does between them."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QHelpEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from wattigram.core.base.quantity import format_rounded, format_si, round_values
from wattigram.core.model.design import Workspace
from wattigram.core.predict.program import (
    MAIN_LOOP,
    Block,
    Lane,
    ProcessorTimeline,
    processor_timeline,
)
from wattigram.desktop.theme import color, heading_font, text_font, theme
from wattigram.desktop.widgets.drawing import elide

LABEL = 150.0
LANE = 19.0
MOST_ROWS = 8
"""Tasks of the main loop that have a row each; more share one."""
ABOVE, BELOW = 30.0, 26.0
TICKS = 5


class _Row(msgspec.Struct, frozen=True):
    """A row of its own: an ISR, or a task of the main loop."""

    title: str
    blocks: tuple[Block, ...]
    note: str = ""
    is_isr: bool = False


def _rows(timeline: ProcessorTimeline) -> list[_Row]:
    rows = []
    for lane in timeline.lanes:
        if lane.title != MAIN_LOOP:
            rows.append(_Row(lane.title, lane.blocks, is_isr=True))
            continue
        if len(lane.tasks) > MOST_ROWS or not lane.blocks:
            count = len(lane.unstated)
            note = (
                f"clocks of {count} reaction{'s' if count > 1 else ''} not stated" if count else ""
            )
            rows.append(_Row(lane.title, lane.blocks, note))
            continue
        for name in lane.tasks:
            mine = tuple(block for block in lane.blocks if block.label == name)
            note = "" if mine else "not in this stretch"
            if name in lane.unstated:
                note = "clocks not stated"
            if any(block.only_at_event for block in mine):
                note = "only at an event"
            rows.append(_Row(name, mine, note))
    return rows


class ProcessorLanes(QWidget):
    """A lane for each ISR and for the main loop, over a stretch with one event of each."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Processor to scale")
        self._timeline: ProcessorTimeline | None = None
        self._rows: list[_Row] = []
        self._chosen = ""

    def show_workspace(self, workspace: Workspace, chosen: str) -> None:
        """Show what the processor does; ``chosen`` is the reaction that stands out."""
        self._timeline = processor_timeline(workspace)
        self._chosen = chosen
        self._rows = _rows(self._timeline)
        lanes = self._timeline.lanes
        self.setAccessibleDescription("; ".join(lane_text(lane) for lane in lanes))
        self.setFixedHeight(round(ABOVE + BELOW + LANE * max(1, len(self._rows))))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(560, 150)

    def _x(self, at_s: float) -> float:
        assert self._timeline is not None
        begin_s, end_s = float(self._timeline.begin_s), float(self._timeline.end_s)
        return LABEL + (self.width() - LABEL - 24.0) * (at_s - begin_s) / (end_s - begin_s)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint lanes and scale."""
        painter = QPainter(self)
        t, timeline = theme(), self._timeline
        painter.fillRect(self.rect(), color(t.card))
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        title = QRectF(12, 6, self.width() - 24.0, 20)
        if timeline is None:
            return
        longest = format_rounded(timeline.longest_isr_s, "s")
        painter.drawText(title, "PROCESSOR, TO SCALE")
        painter.setFont(text_font(-1))
        painter.drawText(title, Qt.AlignmentFlag.AlignRight, f"longest ISR {longest}")
        bottom = ABOVE + LANE * len(self._rows)
        zero_s, end_s = float(timeline.zero_s), float(timeline.end_s)
        for at_s in round_values(0.0, end_s - zero_s, TICKS):
            x = self._x(zero_s + at_s)
            painter.setPen(QPen(color(t.hairline), 1))
            painter.drawLine(QPointF(x, ABOVE), QPointF(x, bottom))
            painter.setPen(color(t.soft))
            painter.drawText(
                QRectF(x - 40, bottom + 4, 80, 18),
                Qt.AlignmentFlag.AlignHCenter,
                format_si(at_s, "s", 3),
            )
        for number, row in enumerate(self._rows):
            self._paint_row(painter, row, ABOVE + number * LANE)

    def _paint_row(self, painter: QPainter, row: _Row, top: float) -> None:
        t = theme()
        is_chosen = row.title == self._chosen
        painter.setFont(text_font(-1))
        painter.setPen(color(t.ink if row.is_isr or is_chosen else t.soft))
        elide(painter, QRectF(12, top, LABEL - 18, LANE), row.title)
        right = self._x(float(self._timeline.zero_s)) if self._timeline is not None else LABEL
        for block in row.blocks:
            fill = t.action if row.is_isr or is_chosen else t.soft
            for begin_s, end_s in block.pieces:
                left, right = self._x(float(begin_s)), self._x(float(end_s))
                box = QRectF(left, top + 4, max(1.5, right - left), LANE - 8)
                painter.fillRect(box, color(fill, 120 if block.only_at_event else 255))
        if row.note:
            painter.setPen(color(t.soft))
            room = QRectF(right + 6, top, self.width() - right - 18, LANE)
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, row.note)

    def event(self, event: QEvent | None) -> bool:
        """Say what is under the mouse."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            block = self._block_at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), block_text(block) if block is not None else "")
            return True
        return super().event(event)

    def _block_at(self, where: QPointF) -> Block | None:
        number = int((where.y() - ABOVE) // LANE)
        if not 0 <= number < len(self._rows):
            return None
        return next(
            (
                block
                for block in self._rows[number].blocks
                if self._x(float(block.begin_s)) - 2 <= where.x() <= self._x(float(block.end_s)) + 2
            ),
            None,
        )


def block_text(block: Block) -> str:
    """A block in words."""
    name = block.label or "ISR"
    begin, end = format_rounded(block.begin_s, "s"), format_rounded(block.end_s, "s")
    text = f"{name}: {begin} to {end}"
    if len(block.pieces) > 1:
        text += f", interrupted {len(block.pieces) - 1} times"
    return text + (", only when something happens" if block.only_at_event else "")


def lane_text(lane: Lane) -> str:
    """A lane in words, for those who do not see it."""
    return f"{lane.title}: " + (", ".join(block_text(block) for block in lane.blocks[:6]) or "–")
