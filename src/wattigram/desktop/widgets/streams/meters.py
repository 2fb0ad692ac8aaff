"""Beside each strip of a board that runs: the newest value, its code, a bar with what was lowest and highest."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.capture.session.live_run import Newest
from wattigram.core.model.design import Workspace, watched_levels
from wattigram.desktop.theme import color, number_font, signal_color, text_font, theme
from wattigram.desktop.widgets.drawing import elide
from wattigram.desktop.widgets.streams.changing_strip import ChangingStrip
from wattigram.desktop.widgets.streams.now_data import NowStrip
from wattigram.desktop.widgets.streams.trace_plot import TracePlot

WIDTH, NARROW = 196, 110
LEAST_PLOT = 620
BAR = 9.0
STILL = 1e-12
"""Share of a value below which its spread is only how numbers are rounded."""
LEAST_FOR_BAR, LEAST_FOR_SPREAD = 34, 56
"""Height of a strip below which its meter has less to show."""


class Meters(QWidget):
    """Painted on the heights of the plot's strips."""

    def __init__(self, plot: TracePlot) -> None:
        super().__init__()
        self._plot = plot
        self._workspace: Workspace | None = None
        self._standing: dict[str, str] = {}
        self._newest: dict[tuple[str, str], Newest | None] = {}
        self.set_room(WIDTH + LEAST_PLOT)
        self.setAccessibleName("Newest values")
        self.setToolTip(
            "Lowest and highest are held until a double click here, or R in the traces."
        )
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    def set_room(self, width: int) -> None:
        """So much is there for plot and meters together; where it is little, meters show values only."""
        self._is_narrow = width < WIDTH + LEAST_PLOT
        self.setFixedWidth(NARROW if self._is_narrow else WIDTH)

    def sizeHint(self) -> QSize:
        """As high as the plot."""
        return QSize(self.width(), 400)

    def show_newest(self, workspace: Workspace | None) -> None:
        """Read what is newest of each strip that is shown."""
        self._workspace = workspace
        self._newest = {
            (trace.name, trace.stage): trace.newest()
            for trace in self._plot.traces
            if isinstance(trace, NowStrip)
        }
        data = self._plot.data
        self._standing = {
            trace.name: trace.text_at(data.end_s)
            for trace in self._plot.traces
            if isinstance(trace, ChangingStrip) and data is not None
        }
        self.setAccessibleDescription(self.text())
        self.update()

    def text(self) -> str:
        """What the meters show, a line for each."""
        lines = []
        for (name, stage), newest in self._newest.items():
            unit = "V" if stage in {"raw", "filtered"} else stage
            told = "; ".join(_lines(newest, unit)) if newest is not None else "nothing came"
            lines.append(f"{name}{'' if stage == 'raw' else f' {stage}'}: {told}")
        lines += [f"{name}: {text}" for name, text in self._standing.items()]
        return "\n".join(lines)

    def forget_extremes(self) -> None:
        """Lowest and highest are those from now on."""
        for trace in self._plot.traces:
            if isinstance(trace, NowStrip):
                trace.channel.forget_extremes()

    def mouseDoubleClickEvent(self, _event: QMouseEvent | None) -> None:
        """Lowest and highest anew."""
        self.forget_extremes()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """A meter at the height of each strip."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), color(theme().card))
        for number, trace in enumerate(self._plot.traces):
            if isinstance(trace, ChangingStrip):
                self._paint_standing(painter, self._plot.axes(number).rect, trace)
                continue
            newest = self._newest.get((trace.name, trace.stage))
            if newest is None or not isinstance(trace, NowStrip):
                continue
            axes = self._plot.axes(number)
            area = QRectF(10, axes.rect.top(), self.width() - 20, axes.rect.height())
            self._paint_meter(painter, area, trace, newest, axes.y_span)

    def _paint_standing(self, painter: QPainter, lane: QRectF, trace: ChangingStrip) -> None:
        """What stands at an output, a pin or a wire."""
        painter.setFont(number_font(-0.5))
        painter.setPen(color(theme().ink))
        area = QRectF(10, lane.top(), self.width() - 20, lane.height())
        elide(painter, area, self._standing.get(trace.name, ""))

    def _paint_meter(
        self,
        painter: QPainter,
        area: QRectF,
        trace: NowStrip,
        newest: Newest,
        span: tuple[float, float],
    ) -> None:
        t = theme()
        value, code, spread = _lines(newest, trace.unit)
        painter.setFont(number_font(2.0))
        height = painter.fontMetrics().height()
        is_low = area.height() < height
        top = Qt.AlignmentFlag.AlignVCenter if is_low else Qt.AlignmentFlag.AlignTop
        if is_low:  # the space between lanes is the meter's too
            painter.setFont(number_font(-0.5))
            spare = max(0.0, painter.fontMetrics().height() - area.height()) / 2
            area = area.adjusted(0, -spare, 0, spare)
        painter.setPen(color(t.ink))
        painter.drawText(
            area.adjusted(0, 0 if is_low else -2, 0, 0), Qt.AlignmentFlag.AlignLeft | top, value
        )
        painter.setFont(number_font(-1.5))
        painter.setPen(color(t.soft))
        if not self._is_narrow:
            painter.drawText(
                area.adjusted(0, 0 if is_low else 3, 0, 0), Qt.AlignmentFlag.AlignRight | top, code
            )
        if area.height() < LEAST_FOR_BAR:
            return
        bar = QRectF(area.left(), area.top() + height + 1, area.width(), BAR)
        self._paint_bar(painter, bar, trace, newest, span)
        if area.height() >= LEAST_FOR_SPREAD:
            painter.setFont(text_font(-1.5))
            painter.setPen(color(t.soft))
            rest = QRectF(area.left(), bar.bottom() + 3, area.width(), 20)
            elide(painter, rest, spread)

    def _paint_bar(
        self,
        painter: QPainter,
        bar: QRectF,
        trace: NowStrip,
        newest: Newest,
        span: tuple[float, float],
    ) -> None:
        """From the scale's low end to the value; strokes at the lowest and highest, dots at thresholds."""
        t = theme()
        low, high = span

        def x(volts: float) -> float:
            share = (volts - low) / (high - low) if high > low else 0.0
            return bar.left() + min(1.0, max(0.0, share)) * bar.width()

        painter.fillRect(bar, color(t.paper))
        filled = QRectF(bar.left(), bar.top(), x(newest.value) - bar.left(), bar.height())
        painter.fillRect(filled, signal_color(trace.index))
        painter.setPen(QPen(color(t.ink), 1.6))
        for extreme in (newest.low, newest.high):
            painter.drawLine(
                int(x(extreme)), int(bar.top()) - 2, int(x(extreme)), int(bar.bottom()) + 2
            )
        if self._workspace is None:
            return
        painter.setPen(QPen(color(t.doubt), 1.4, Qt.PenStyle.DotLine))
        signal = trace.channel.signal
        levels = [
            level.volts for level in watched_levels(self._workspace, signal) if level.window >= 0
        ]
        if levels:
            limits = np.array(levels)
            shown = limits if trace.quantity is None else trace.quantity.of(limits)
            for limit in shown.tolist():
                if low < limit < high:
                    at = int(x(limit))
                    painter.drawLine(at, int(bar.top()) - 3, at, int(bar.bottom()) + 3)


def _lines(newest: Newest, unit: str) -> tuple[str, str, str]:
    """Value, code, and how it moves."""
    code = newest.code
    coded = "" if code is None else f"{code} · {'−' if code < 0 else ''}0x{abs(code):03X}"
    is_still = newest.sigma < STILL * max(abs(newest.mean), abs(newest.value))
    sigma = format_si(0.0 if is_still else newest.sigma, unit, 3)
    if unit == "V":
        return format_volts(newest.value), coded, f"mean {format_volts(newest.mean)} · σ {sigma}"
    return (
        format_si(newest.value, unit, 4),
        coded,
        f"mean {format_si(newest.mean, unit, 4)} · σ {sigma}",
    )
