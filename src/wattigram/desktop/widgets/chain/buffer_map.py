"""The loops as memory sees them: which signal lies where, the half mark, the write place."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wattigram.core.model.design import Chain, Workspace
from wattigram.core.predict.timing import buffer_timing
from wattigram.desktop.theme import color, heading_font, number_font, signal_color, text_font, theme
from wattigram.desktop.widgets.chain.chain_tables import buffer_table
from wattigram.desktop.widgets.drawing import elide
from wattigram.desktop.widgets.seen_table import SeenTable

MOST_CELLS = 2048


class BufferMap(QWidget):
    """Each loop as rows of items, read like text."""

    def __init__(self) -> None:
        super().__init__()
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Circular buffers in memory")
        self._workspace: Workspace | None = None
        self._dress = theme()
        self._places: dict[str, int] = {}
        self._images: dict[str, tuple[QImage, int]] = {}

    def show_workspace(self, workspace: Workspace) -> None:
        """Show the loops of a design."""
        before, self._workspace = self._workspace, workspace
        if before is None or _content(before) != _content(workspace) or self._dress is not theme():
            self._dress = theme()
            self._images.clear()
            self.update()

    def show_places(self, places: dict[str, int]) -> None:
        """Where each loop is being written, in items from its start."""
        if places != self._places:
            self._places = places
            self.update()

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """The buffers in words."""
        return (buffer_table(self._workspace, self._places),) if self._workspace else ()

    def sizeHint(self) -> QSize:
        """Beside the lens."""
        return QSize(236, 200)

    def minimumSizeHint(self) -> QSize:
        """Never wider than it must be."""
        return QSize(150, 80)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the loops under each other."""
        t = theme()
        painter = QPainter(self)
        painter.fillRect(self.rect(), color(t.panel))
        painter.setPen(QPen(color(t.hairline), 1))
        painter.drawLine(0, 0, 0, self.height())
        line = float(self.fontMetrics().height())
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        elide(painter, QRectF(12, 4, self.width() - 18, line), "BUFFERS IN MEMORY")
        if self._workspace is None or not self._workspace.project.chains:
            return
        chains = self._workspace.project.chains
        y = line + 10
        room = (self.height() - y - 4) / len(chains)
        for chain in chains:
            self._paint_loop(painter, chain, QRectF(12, y, self.width() - 24, room - 6))
            y += room

    def _paint_loop(self, painter: QPainter, chain: Chain, rect: QRectF) -> None:
        assert self._workspace is not None
        t = theme()
        loop = buffer_timing(self._workspace, chain)
        painter.setFont(text_font(-1))
        painter.setPen(color(t.soft if loop.halves_in_step else t.bad))
        line = float(painter.fontMetrics().height())
        state = (
            "holds whole scans"
            if loop.halves_in_step
            else "half splits a scan"
            if loop.in_step
            else "splits scans"
        )
        elide(
            painter,
            QRectF(rect.left(), rect.top(), rect.width(), line),
            f"{loop.name} · {state} · {loop.bytes} B",
        )
        area = rect.adjusted(0, line + 2, 0, 0)
        if area.height() < 8:
            return
        image, per_row = self._image(chain, area.width() / max(1.0, area.height()))
        shown = min(chain.buffer.samples, MOST_CELLS)
        painter.drawImage(area, image, QRectF(image.rect()))
        rows = image.height()
        half = shown / 2
        y_half = area.top() + half / per_row / rows * area.height()
        painter.setPen(QPen(color(t.ink), 1.5))
        painter.drawLine(QPointF(area.left() - 4, y_half), QPointF(area.right() + 4, y_half))
        painter.setPen(QPen(color(t.hairline), 1))
        painter.drawRect(area)
        place = self._places.get(chain.buffer.name)
        if place is not None:
            at = place / chain.buffer.samples * shown
            row = min(rows - 1, int(at // per_row))
            height = area.height() / rows
            x = area.left() + (at % per_row) / per_row * area.width()
            painter.setPen(QPen(color(t.ink), 2))
            painter.drawRect(QRectF(x - 2, area.top() + row * height - 1, 4, height + 2))
        painter.setFont(number_font(-2))

    def _image(self, chain: Chain, aspect: float) -> tuple[QImage, int]:
        """One pixel an item; a row holds whole cycles, so that signals in step stand in columns."""
        known = self._images.get(chain.buffer.name)
        if known is not None:
            return known
        assert self._workspace is not None
        slots = len(chain.slots)
        shown = min(chain.buffer.samples, MOST_CELLS)
        cycles = max(1, round(math.sqrt(shown * aspect / 4) / slots))
        wanted = min(max(slots, cycles * slots), shown)
        whole = [length for length in range(slots, shown + 1, slots) if shown % length == 0]
        per_row = min(whole, key=lambda length: abs(math.log(length / wanted)), default=wanted)
        rows = -(-shown // per_row)
        names = [signal.name for signal in self._workspace.project.signals]
        palette = [signal_color(names.index(slot.signal)) for slot in chain.slots]
        pixels = np.zeros((rows, per_row), dtype=np.uint32)
        flat = pixels.ravel()
        shades = np.array([_faded(shade).rgba() for shade in palette], dtype=np.uint32)
        flat[:shown] = shades[np.arange(shown) % slots]
        image = QImage(
            pixels.tobytes(), per_row, rows, per_row * 4, QImage.Format.Format_ARGB32
        ).copy()
        self._images[chain.buffer.name] = (image, per_row)
        return image, per_row


def _content(workspace: Workspace) -> list[object]:
    """All that the picture depends on."""
    names = [signal.name for signal in workspace.project.signals]
    return [
        names,
        *(
            (chain.buffer, [slot.signal for slot in chain.slots])
            for chain in workspace.project.chains
        ),
    ]


def _faded(shade: QColor) -> QColor:
    faded = QColor(shade)
    faded.setAlpha(190)
    return faded
