"""The curve of a measurement: a spectrum, a histogram, a folded course, a response, one stream over another."""

from __future__ import annotations

from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wattigram.core.judge.measured import Measured
from wattigram.desktop.theme import color, number_font, signal_color, signal_pen, text_font, theme
from wattigram.desktop.widgets.axes import Axes, span_of
from wattigram.desktop.widgets.drawing import draw_band

FloatArray = NDArray[np.float64]
LEFT, RIGHT, TOP, BOTTOM = 80.0, 16.0, 8.0, 24.0
NOISE_FLOOR_DB = 160.0
"""Below the highest line; what lies lower is arithmetic."""
BINS = 60


class Curve(msgspec.Struct, frozen=True):
    """What is drawn: a line, bars from zero, or points, with a band of ``half`` its height about it, or about zero."""

    x: FloatArray
    y: FloatArray
    x_unit: str
    y_unit: str
    title: str
    draw: Literal["line", "bars", "points"] = "line"
    half: FloatArray | None = None
    is_about_zero: bool = False

    @property
    def band(self) -> tuple[FloatArray, FloatArray] | None:
        """(lowest, highest) of the band; None where there is none."""
        if self.half is None:
            return None
        middle = np.zeros_like(self.y) if self.is_about_zero else self.y
        return middle - self.half, middle + self.half


def curve_of(measured: Measured, unit: str) -> Curve | None:
    """The curve of a measurement; None of one that has none. ``unit`` is the first channel's."""
    told = {name: np.array(values, dtype=np.float64) for name, values in measured.curve.items()}
    match measured.kind:
        case "spectrum":
            is_share = "dbfs" in told
            power = np.maximum(told["mean_square"], 1e-300)
            level = told["dbfs"] if is_share else 10 * np.log10(power)
            level = np.maximum(level, level.max() - NOISE_FLOOR_DB)
            scale = "dB of a sine that spans full scale" if is_share else f"dB of 1 {unit} rms"
            return Curve(told["frequency_hz"][1:], level[1:], "Hz", "dB", scale)
        case "histogram" if "inl_lsb" in told:
            return Curve(
                told["transition"],
                told["inl_lsb"],
                "",
                "LSB",
                "INL over code, with k = 2",
                "line",
                2 * told["inl_sigma_lsb"],
            )
        case "histogram":
            return Curve(told["code"], told["count"], "", "", "how often each code came", "bars")
        case "folded":
            return Curve(
                told["at_s"],
                told["mean"],
                "s",
                unit,
                "mean over the period, with its spread",
                "line",
                told["spread"],
            )
        case "intervals" if len(told["instants_s"]) > 2:
            counts, edges = np.histogram(np.diff(told["instants_s"]), BINS)
            return Curve(
                (edges[:-1] + edges[1:]) / 2,
                counts.astype(np.float64),
                "s",
                "",
                "how often each interval came",
                "bars",
            )
        case "latency":
            counts, edges = np.histogram(told["latency_s"], BINS)
            return Curve(
                (edges[:-1] + edges[1:]) / 2,
                counts.astype(np.float64),
                "s",
                "",
                "how often each latency came",
                "bars",
            )
        case "response":
            return Curve(
                told["frequency_hz"],
                told["gain_db"],
                "Hz",
                "dB",
                "gain over frequency",
                "points",
                2 * told["gain_db_sigma"],
            )
        case "expected":
            at_s, band = told["at_s"], told["band"]
            title = "captured less expected, and the band"
            return Curve(at_s, told["difference"], "s", unit, title, "line", band, True)
        case "difference":
            return Curve(
                told["at_s"], told["difference"], "s", unit, "the first less the second", "line"
            )
        case "against":
            return Curve(
                told["x"], told["y"], unit, unit, "the second signal over the first", "points"
            )
        case _:
            return None


class CurvePlot(QWidget):
    """Draws one curve; it is text too, as a table of its points."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Curve")
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.curve: Curve | None = None
        self._index = 0

    def sizeHint(self) -> QSize:
        """As large as there is room."""
        return QSize(420, 160)

    def show_curve(self, curve: Curve | None, index: int) -> None:
        """Draw a curve in the colour of a signal."""
        self.curve, self._index = curve, index
        self.setVisible(curve is not None)
        self.setAccessibleDescription(curve.title if curve is not None else "")
        self.update()

    def table_text(self) -> str:
        """All points as text, a line each."""
        if self.curve is None:
            return ""
        head = f"{self.curve.x_unit or 'x'}\t{self.curve.y_unit or 'y'}"
        rows = (
            f"{x:.9g}\t{y:.9g}"
            for x, y in zip(self.curve.x.tolist(), self.curve.y.tolist(), strict=True)
        )
        return "\n".join([head, *rows])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Axes, band, curve."""
        t = theme()
        painter = QPainter(self)
        painter.fillRect(self.rect(), color(t.card))
        curve = self.curve
        if curve is None or not len(curve.x):
            return
        axes = self._axes(curve)
        axes.paint_grid(painter, curve.x_unit, curve.y_unit)
        painter.save()
        painter.setClipRect(axes.rect)
        x, y = axes.x(curve.x), axes.y(curve.y)
        if curve.band is not None:
            low, high = (axes.y(limit) for limit in curve.band)
            draw_band(painter, x, low, high, signal_color(self._index, t.tint_alpha))
        if curve.draw == "bars":
            self._bars(painter, axes, curve)
        elif curve.draw == "points":
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(signal_color(self._index))
            for at_x, at_y in zip(x.tolist(), y.tolist(), strict=True):
                painter.drawEllipse(QPointF(at_x, at_y), 2.0, 2.0)
        else:
            painter.setPen(signal_pen(self._index, 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(_polygon(*_columns(x, y)))
        painter.restore()
        painter.setPen(QPen(color(t.soft)))
        painter.setFont(text_font(-1))
        where = axes.rect.adjusted(6, 2, -6, 0)
        painter.drawText(
            where, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, curve.title
        )

    def _axes(self, curve: Curve) -> Axes:
        rect = QRectF(
            LEFT,
            TOP,
            max(10.0, self.width() - LEFT - RIGHT),
            max(10.0, self.height() - TOP - BOTTOM),
        )
        y_span = span_of(curve.y, *(curve.band or ()))
        if curve.draw == "bars":
            y_span = 0.0, max(1.0, float(curve.y.max()) * 1.08)
        low, high = float(curve.x.min()), float(curve.x.max())
        return Axes(rect, (low, high if high > low else low + 1), y_span)

    def _bars(self, painter: QPainter, axes: Axes, curve: Curve) -> None:
        """One a bin, or one a column of pixels where there are more."""
        x, y = _columns(axes.x(curve.x), axes.y(curve.y))
        painter.setFont(number_font(-2))
        width = max(1.0, axes.rect.width() / max(1, len(x)) - 1)
        for at_x, at_y in zip(x.tolist(), y.tolist(), strict=True):
            bar = QRectF(at_x - width / 2, at_y, width, axes.rect.bottom() - at_y)
            painter.fillRect(bar, signal_color(self._index))


def _columns(x: FloatArray, y: FloatArray) -> tuple[FloatArray, FloatArray]:
    """No more points than the eye tells apart: of each column of pixels the highest and the lowest."""
    if len(x) < 4000:
        return x, y
    columns = x.astype(np.int64)
    edges = np.flatnonzero(np.diff(columns, prepend=columns[0] - 1))
    low, high = np.minimum.reduceat(y, edges), np.maximum.reduceat(y, edges)
    return np.repeat(x[edges], 2), np.stack((low, high), axis=1).ravel()


def _polygon(x: FloatArray, y: FloatArray) -> QPolygonF:
    return QPolygonF(
        [QPointF(at_x, at_y) for at_x, at_y in zip(x.tolist(), y.tolist(), strict=True)]
    )
