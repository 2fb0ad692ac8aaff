"""What all strips have under the cursor, and what lies between it and the mark."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.desktop.theme import number_font
from wattigram.desktop.widgets.streams.changing_strip import ChangingStrip
from wattigram.desktop.widgets.streams.strips import Strip
from wattigram.desktop.widgets.streams.trace_plot import TracePlot

OF_A_RECORDING = (
    "Move the mouse over a trace for its values; click to set a mark, Shift+click the other end of a stretch. "
    "Wheel zooms, drag moves, double click shows all."
)
OF_A_BOARD = (
    "Space freezes what is kept, End goes to the newest, R has the meters hold anew. Move the mouse over a trace for "
    "its values; wheel zooms, drag moves back in time."
)


class ValueLine(QLabel):
    """Rich text that can be selected; without a cursor what can be done."""

    def __init__(self, plot: TracePlot) -> None:
        super().__init__()
        self._plot = plot
        self.setTextFormat(Qt.TextFormat.RichText)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.setMinimumHeight(self.fontMetrics().height() * 3 + 4)
        self.setWordWrap(True)
        plot.cursor_moved.connect(self.show_values)
        plot.mark_moved.connect(lambda _seconds: self.show_values(plot.cursor_s))
        self.show_values(None)

    def show_values(self, seconds: float | None) -> None:
        """Those at an instant."""
        plot = self._plot
        if seconds is None or not plot.traces:
            is_board = plot.data is not None and plot.data.grows
            self.setText(OF_A_BOARD if is_board else OF_A_RECORDING)
            return
        head = f"t = {format_si(seconds, 's', 9)}"
        if plot.mark_s is not None:
            delta = seconds - plot.mark_s
            rate = f" · 1/Δt = {format_si(1 / abs(delta), 'Hz', 5)}" if delta else ""
            head += f" · Δt from mark = {format_si(delta, 's', 6)}{rate}"
        cells = "".join(
            f"<td style='padding-right:22px'>{escape(trace.name)}<br>{escape(told_at(trace, seconds))}</td>"
            for trace in plot.traces
        )
        family = number_font().family()
        self.setText(
            f"<span style='font-family:\"{family}\"'>{head}<table><tr>{cells}</tr></table></span>"
        )


def told_at(trace: Strip, seconds: float) -> str:
    """What a strip has at an instant: its value, and the code in both bases."""
    if isinstance(trace, ChangingStrip):
        return trace.text_at(seconds)
    number = trace.number_at(seconds)
    samples = trace.samples(number, number + 1)
    if not len(samples.valid) or not samples.valid[0]:
        return "missing"
    value = float(samples.values[0])
    text = format_volts(value) if trace.unit == "V" else format_si(value, trace.unit, 5)
    if samples.codes is None:
        return text
    code = int(samples.codes[0])
    return f"{text} · {code} · {'−' if code < 0 else ''}0x{abs(code):03X}"
