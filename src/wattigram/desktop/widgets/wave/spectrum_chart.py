"""Spectrum of what leaves a pin: the wave, its images, and what holding and a filter take away."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wattigram.core.base.quantity import format_si
from wattigram.core.predict.waveform import OutputSpectrum, filter_gain
from wattigram.desktop.theme import color, heading_font, signal_pen, text_font, theme
from wattigram.desktop.widgets.axes import Axes
from wattigram.desktop.widgets.drawing import polygon
from wattigram.desktop.widgets.seen_table import SeenTable
from wattigram.desktop.widgets.wave.wave_tables import spectrum_table

LOWEST_DB = -110.0
BANDS_SHOWN = 2.2
CURVE_POINTS = 300


class SpectrumChart(QWidget):
    """Lines in dB below the wave over frequency, up to about twice the update rate."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Spectrum at the pin")
        self._spectrum: OutputSpectrum | None = None
        self._poles: tuple[float, ...] = ()
        self._index = 0

    def show_spectrum(
        self, spectrum: OutputSpectrum | None, poles_s: tuple[float, ...], index: int
    ) -> None:
        """Show lines, and the filter that they went through."""
        self._spectrum, self._poles, self._index = spectrum, poles_s, index
        self.update()

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """The lines in words."""
        if self._spectrum is None or not self._spectrum.tone_v:
            return ()
        return (spectrum_table(self._spectrum, bool(self._poles)),)

    def sizeHint(self) -> QSize:
        return QSize(640, 200)

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 120)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the lines."""
        painter = QPainter(self)
        t = theme()
        painter.fillRect(self.rect(), color(t.card))
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        spectrum = self._spectrum
        if spectrum is None or not spectrum.tone_v:
            text = "SPECTRUM AT THE PIN" if spectrum is None else "NO TONE IN THIS TABLE"
            painter.drawText(QPointF(12, 18), text)
            return
        behind = "AFTER THE FILTER" if self._poles else "AT THE PIN"
        painter.drawText(QPointF(12, 18), f"SPECTRUM {behind} · dB BELOW THE WAVE")
        top_hz = spectrum.update_hz * BANDS_SHOWN
        rect = QRectF(96, 30, max(50.0, self.width() - 116.0), max(30.0, self.height() - 60.0))
        axes = Axes(rect, (0.0, top_hz), (LOWEST_DB, 12.0))
        axes.paint_grid(painter, "Hz", "")
        painter.setClipRect(rect.adjusted(-4, -2, 4, 2))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        self._paint_droop(painter, axes, spectrum)
        with np.errstate(divide="ignore"):
            level = 20 * np.log10(spectrum.amplitude_v / spectrum.tone_v)
        keep = (level > LOWEST_DB) & (spectrum.frequency_hz <= top_hz)
        foot = float(axes.y(LOWEST_DB))
        painter.setPen(signal_pen(self._index, 1.6))
        drawn = np.flatnonzero(keep)
        for number in drawn[np.argsort(-level[drawn])][:600].tolist():
            x, y = float(axes.x(spectrum.frequency_hz[number])), float(axes.y(level[number]))
            painter.drawLine(QPointF(x, foot), QPointF(x, y))
        painter.setClipping(False)
        self._paint_words(painter, axes, spectrum)

    def _paint_droop(self, painter: QPainter, axes: Axes, spectrum: OutputSpectrum) -> None:
        """sinc of the held steps with the filter, as it lies over all lines."""
        hertz = np.linspace(spectrum.update_hz / 500, axes.x_span[1], CURVE_POINTS)
        gain = np.abs(np.sinc(hertz / spectrum.update_hz)) * filter_gain(hertz, self._poles)
        tone = np.array([spectrum.tone_hz])
        own = float(
            abs(np.sinc(spectrum.tone_hz / spectrum.update_hz)) * filter_gain(tone, self._poles)[0]
        )
        painter.setPen(QPen(color(theme().faint), 1, Qt.PenStyle.DashLine))
        level = np.maximum(20 * np.log10(np.maximum(gain / max(own, 1e-12), 1e-9)), LOWEST_DB)
        painter.drawPolyline(polygon(axes.x(hertz), axes.y(level)))

    def _paint_words(self, painter: QPainter, axes: Axes, spectrum: OutputSpectrum) -> None:
        t = theme()
        painter.setFont(text_font(-1))
        painter.setPen(color(t.ink))
        marks = [
            (
                spectrum.tone_hz,
                0.0,
                f"frequency {format_si(spectrum.tone_hz, 'Hz', 5)}, droop {abs(spectrum.droop_db):.3f} dB",
            )
        ]
        if math.isfinite(spectrum.image_dbc):
            marks.append(
                (spectrum.image_hz, spectrum.image_dbc, f"image {spectrum.image_dbc:.1f} dB")
            )
        for hertz, level, text in marks:
            if hertz > axes.x_span[1]:
                continue
            x, y = float(axes.x(hertz)), float(axes.y(level))
            width = painter.fontMetrics().horizontalAdvance(text)
            left = x + 5 if x + width + 8 < axes.rect.right() else x - width - 5
            painter.drawText(QPointF(left, max(axes.rect.top() + 9, y - 4)), text)
        x = float(axes.x(spectrum.update_hz))
        painter.setPen(color(t.soft))
        painter.drawText(
            QPointF(x + 4, axes.rect.top() + 34),
            f"update rate {format_si(spectrum.update_hz, 'Hz', 5)}",
        )
