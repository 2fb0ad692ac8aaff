"""What the facts of a converter mean, drawn: one conversion to scale, and what each sampling time allows."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from wattigram.core.base.quantity import format_rounded, format_si
from wattigram.core.model.part import Converter
from wattigram.core.predict.accuracy.source_limit import highest_source_ohm
from wattigram.desktop.theme import color, heading_font, number_font, text_font, theme

SIDE = 14.0


class MeaningView(QWidget):
    """Draws a converter at its highest clock; nothing before its facts are known."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAccessibleName("What the facts of the converter mean")
        self._converter: Converter | None = None
        self._bus_hz = 0.0
        self.lines: tuple[str, ...] = ()
        """The same in words."""

    def show_converter(self, converter: Converter | None, bus_hz: float) -> None:
        """Draw another one, or nothing."""
        self._converter, self._bus_hz = converter, bus_hz
        self.setVisible(converter is not None)
        self.lines = tuple(self._words()) if converter is not None else ()
        self.setAccessibleDescription("\n".join(self.lines))
        self.update()

    @property
    def clock_hz(self) -> float:
        """The highest clock that a divider of the bus clock makes."""
        assert self._converter is not None
        limit_hz = self._converter.clock_limit_hz(max(self._converter.bits))
        allowed = [
            self._bus_hz / divider
            for divider in self._converter.dividers
            if self._bus_hz / divider <= limit_hz
        ]
        return max(allowed, default=float(limit_hz))

    def _words(self) -> list[str]:
        converter = self._converter
        assert converter is not None
        bits = max(converter.bits)
        told = []
        for clocks in converter.sampling_cycles:
            sampling_s = clocks / self.clock_hz
            ohm = highest_source_ohm(converter, sampling_s, bits)
            whole_s = sampling_s + float(converter.conversion_cycles(bits)) / self.clock_hz
            source = format_rounded(ohm, "Ω", 3) if ohm > 0 else "no source"
            told.append(
                f"{clocks:g} clk: {format_rounded(sampling_s, 's', 3)}, {source} for ½ LSB, "
                f"{format_rounded(1 / whole_s, 'S/s', 3)}"
            )
        return told

    def sizeHint(self) -> QSize:
        """As wide as the sheet."""
        return QSize(560, 250)

    def minimumSizeHint(self) -> QSize:
        """Readable down to this."""
        return QSize(300, 230)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw both."""
        converter = self._converter
        if converter is None:
            return
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(color(t.hairline), 1))
        painter.setBrush(color(t.card))
        painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 6, 6)
        bits = max(converter.bits)
        self._paint_conversion(painter, converter, bits)
        self._paint_sources(painter, converter, bits)
        painter.end()

    def _paint_conversion(self, painter: QPainter, converter: Converter, bits: int) -> None:
        t = theme()
        clocks = sorted(converter.sampling_cycles)[len(converter.sampling_cycles) // 2]
        conversion = float(converter.conversion_cycles(bits))
        total = clocks + conversion
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        title = f"{converter.name.upper()}: ONE CONVERSION OF {bits} BITS AT {format_si(self.clock_hz, 'Hz')}, TO SCALE"
        painter.drawText(
            QRectF(SIDE, 8, self.width() - 2 * SIDE, 18), Qt.AlignmentFlag.AlignLeft, title
        )
        wide = self.width() - 2 * SIDE
        split = wide * clocks / total
        box = QRectF(SIDE, 32, wide, 20)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color(t.action))
        painter.drawRect(QRectF(box.left(), box.top(), split, box.height()))
        painter.setBrush(color(t.card))
        painter.setPen(QPen(color(t.action), 1))
        painter.drawRect(QRectF(box.left() + split, box.top(), wide - split, box.height()))
        painter.setFont(number_font(-1.5))
        painter.setPen(color(t.ink))
        rate = self.clock_hz / total
        painter.drawText(
            QRectF(box.left(), box.bottom() + 3, wide, 18),
            Qt.AlignmentFlag.AlignLeft,
            f"sampling {clocks:g} clk, {format_rounded(clocks / self.clock_hz, 's', 3)}   conversion "
            f"{conversion:g} clk, {format_rounded(conversion / self.clock_hz, 's', 3)}   "
            f"{format_rounded(rate, 'S/s', 3)}",
        )

    def _paint_sources(self, painter: QPainter, converter: Converter, bits: int) -> None:
        t = theme()
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        painter.drawText(
            QRectF(SIDE, 82, self.width() - 2 * SIDE, 18),
            Qt.AlignmentFlag.AlignLeft,
            "HIGHEST SOURCE RESISTANCE FOR ½ LSB, BY SAMPLING",
        )
        times = sorted(converter.sampling_cycles)
        ohms = [highest_source_ohm(converter, clocks / self.clock_hz, bits) for clocks in times]
        highest = max(ohms)
        cell = (self.width() - 2 * SIDE) / len(times)
        bottom, room = self.height() - 44.0, self.height() - 44.0 - 122
        painter.setFont(number_font(-2))
        every = max(1, int(64 / max(1.0, cell)) + (64 % max(1.0, cell) > 0 and cell < 64))
        for number, (clocks, ohm) in enumerate(zip(times, ohms, strict=True)):
            height = max(1.0, room * ohm / highest) if ohm > 0 and highest > 0 else 1.0
            left = SIDE + number * cell
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(color(t.action, 140))
            painter.drawRect(QRectF(left + cell * 0.15, bottom - height, cell * 0.7, height))
            if number % every:
                continue
            painter.setPen(color(t.ink))
            wide = QRectF(left - 20, bottom - height - 17, cell + 40, 16)
            text = format_rounded(ohm, "Ω", 3) if ohm > 0 else "none"
            painter.drawText(wide, Qt.AlignmentFlag.AlignHCenter, text)
            painter.setPen(color(t.soft))
            painter.drawText(
                QRectF(left - 20, bottom + 2, cell + 40, 16),
                Qt.AlignmentFlag.AlignHCenter,
                f"{clocks:g} clk",
            )
        painter.setFont(text_font(-1))
        painter.setPen(color(t.faint))
        painter.drawText(
            QRectF(SIDE, self.height() - 22, self.width() - 2 * SIDE, 18),
            Qt.AlignmentFlag.AlignLeft,
            f"t = (R + {format_si(converter.switch_resistance_ohm, 'Ω')}) · "
            f"{format_si(converter.sampling_capacitor_f, 'F')} · {bits + 1} · ln 2, no capacitor at the pin",
        )
