"""Timing, to scale: lanes of time, painted."""

from __future__ import annotations

import math
from fractions import Fraction

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from wattigram.core.base.quantity import format_percent, format_rounded, format_si, round_values
from wattigram.core.model.design import Chain, Workspace
from wattigram.core.predict.timing import (
    ScanTiming,
    buffer_timing,
    has_isr,
    isr_service_s,
    retrieval_timing,
    scan_timing,
)
from wattigram.desktop.state.selection import Selection
from wattigram.desktop.theme import color, heading_font, number_font, signal_color, text_font, theme
from wattigram.desktop.widgets.chain.output_lane import has_outputs, paint_outputs
from wattigram.desktop.widgets.chain.row_text import paint_slot
from wattigram.desktop.widgets.drawing import elide

MOST_CYCLES = 400
NARROW_PX = 4.0
"""Slots narrower than this are drawn as one stroke."""


class ScanTimelineView(QWidget):
    """Lanes for trigger, converters, DMA and processor; :class:`ScanTimeline` adds the hand."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Timing, to scale")
        self._workspace: Workspace | None = None
        self._cycles: list[ScanTiming] = []
        self._indexes: dict[str, int] = {}
        self._selection = Selection()
        self._begin_s = 0.0
        self._span_s = 0.0
        self._is_fitted = True
        self._graph_key: tuple[object, ...] = ()
        self._graph_rect = QRectF()
        self._is_dragged = False

    def show_workspace(self, workspace: Workspace) -> None:
        """Show a design; the view keeps its place, or goes on showing one whole cycle."""
        self._workspace = workspace
        self._graph_key = ()
        self._cycles = [scan_timing(workspace, chain) for chain in workspace.project.chains]
        self._indexes = {
            signal.name: index for index, signal in enumerate(workspace.project.signals)
        }
        if self._is_fitted and not self._is_dragged:
            self._fit()
        self.update()

    def show_selection(self, selection: Selection) -> None:
        """Mark a slot."""
        self._selection = selection
        self.update()

    def fit(self) -> None:
        """Show one whole period."""
        self._is_fitted = True
        self._fit()
        self.update()

    def _fit(self) -> None:
        period_s = float(self._period_s or Fraction(1, 10_000))
        self._begin_s = 0.0
        self._span_s = (
            max(period_s, max((float(cycle.busy_s) for cycle in self._cycles), default=0.0)) * 1.02
        )

    @property
    def _period_s(self) -> Fraction | None:
        return self._cycles[0].period_s if self._cycles else None

    def sizeHint(self) -> QSize:
        """Room for all lanes."""
        return QSize(700, int((self._lane_height * self._lanes) + 60))

    def minimumSizeHint(self) -> QSize:
        """Lanes shrink down to this."""
        return QSize(360, int(18 * self._lanes + 54))

    @property
    def _lanes(self) -> int:
        """Trigger, converters, results, processor, and outputs where there are any."""
        outputs = self._workspace is not None and has_outputs(self._workspace)
        return 3 + len(self._cycles) + outputs

    @property
    def _lane_height(self) -> float:
        lanes = max(4, self._lanes)
        line = self.fontMetrics().height()
        return max(17.0, min(line * 2.6, (self.height() - 2 * line - 22) / lanes))

    def _graph(self) -> QRectF:
        key = (self.width(), self.height())
        if self._graph_key != key:
            self._graph_key, self._graph_rect = key, self._make_graph()
        return self._graph_rect

    def _make_graph(self) -> QRectF:
        line = float(self.fontMetrics().height())
        left = self.fontMetrics().horizontalAdvance("Processor") + 22.0
        return QRectF(
            left, line + 12, max(40.0, self.width() - left - 14), self._lane_height * self._lanes
        )

    def x_of(self, seconds: float) -> float:
        """Screen position of an instant after the trigger."""
        graph = self._graph()
        return graph.left() + (seconds - self._begin_s) / self._span_s * graph.width()

    def _seconds_at(self, x: float) -> float:
        graph = self._graph()
        return self._begin_s + (x - graph.left()) / graph.width() * self._span_s

    def slot_rect(self, converter: str, place: int) -> QRectF:
        """Where a slot of the first cycle stands."""
        for lane, cycle in enumerate(self._cycles):
            if cycle.converter == converter:
                slot = cycle.slots[place]
                left, right = self.x_of(float(slot.start_s)), self.x_of(float(slot.end_s))
                lane_rect = self._lane(lane + 1)
                return QRectF(left, lane_rect.top() + 3, right - left, lane_rect.height() - 6)
        return QRectF()

    def edge_x(self, converter: str, place: int) -> float:
        """Where the filled part of a slot of the first cycle ends."""
        cycle = next(cycle for cycle in self._cycles if cycle.converter == converter)
        return self.x_of(float(cycle.slots[place].start_s + cycle.slots[place].sampling_s))

    def trigger_point(self) -> QPointF:
        """Where the next trigger stands."""
        lane = self._lane(0)
        return QPointF(self.x_of(float(self._period_s or 0)), lane.center().y())

    def _lane(self, number: int) -> QRectF:
        graph = self._graph()
        return QRectF(
            graph.left(), graph.top() + number * self._lane_height, graph.width(), self._lane_height
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint everything; there is little of it."""
        t = theme()
        painter = QPainter(self)
        painter.fillRect(self.rect(), color(t.panel))
        painter.setFont(heading_font())
        painter.setPen(color(t.faint))
        line = float(self.fontMetrics().height())
        title = "TIMING, TO SCALE"
        elide(painter, QRectF(12, 4, self.width() - 24, line), title)
        used = painter.fontMetrics().horizontalAdvance(title) + 28
        painter.setFont(text_font(-1))
        hint = "drag a slot to reorder · its filled edge to sample longer · the next trigger · wheel to zoom"
        elide(painter, QRectF(used, 4, self.width() - used - 8, line), hint)
        if self._workspace is None or not self._cycles:
            return
        self._paint_grid(painter)
        names = ["Trigger", *(cycle.converter for cycle in self._cycles), "Results", "Processor"]
        if self._lanes > len(names):
            names.append("Outputs")
        painter.setFont(text_font(-0.5))
        painter.setPen(color(t.soft))
        for number, name in enumerate(names):
            lane = self._lane(number)
            elide(painter, QRectF(12, lane.top(), lane.left() - 16, lane.height()), name)
        painter.setClipRect(self._graph().adjusted(-8, 0, 10, 1))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_triggers(painter)
        for number, cycle in enumerate(self._cycles):
            self._paint_converter(painter, cycle, self._lane(number + 1))
        self._paint_dma(painter, self._lane(len(self._cycles) + 1))
        self._paint_processor(painter, self._lane(len(self._cycles) + 2))
        if self._lanes > len(self._cycles) + 3:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            lane = self._lane(len(self._cycles) + 3)
            paint_outputs(painter, lane, self._workspace, self._begin_s, self._span_s)
        if self.hasFocus():
            painter.setClipping(False)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(color(t.action), 1))
            painter.drawRect(QRectF(1, 1, self.width() - 2, self.height() - 2))

    def _paint_grid(self, painter: QPainter) -> None:
        t = theme()
        graph = self._graph()
        painter.setFont(number_font(-1.5))
        label_width = painter.fontMetrics().horizontalAdvance("0000.00 µs") + 10
        for value in round_values(
            self._begin_s, self._begin_s + self._span_s, max(2, int(graph.width() / label_width))
        ):
            x = self.x_of(value)
            painter.setPen(QPen(color(t.hairline), 1))
            painter.drawLine(QPointF(x, graph.top()), QPointF(x, graph.bottom() + 3))
            painter.setPen(color(t.soft))
            left = min(max(x - label_width / 2, 0), self.width() - label_width - 2)
            text = format_si(value, "s", 6)
            painter.drawText(
                QRectF(left, graph.bottom() + 4, label_width, 16),
                Qt.AlignmentFlag.AlignHCenter,
                text,
            )
        painter.setPen(QPen(color(t.hairline), 1))
        for number in range(self._lanes + 1):
            y = graph.top() + number * self._lane_height
            painter.drawLine(QPointF(graph.left(), y), QPointF(graph.right(), y))

    def _visible(self, cycle: ScanTiming) -> range:
        """Numbers of the cycles in view, none when there are too many to draw."""
        period_s = float(1 / cycle.cycle_rate_hz)
        first = max(0, math.floor(self._begin_s / period_s))
        last = math.ceil((self._begin_s + self._span_s) / period_s) + 1
        return range(first, last) if last - first <= MOST_CYCLES else range(0)

    def _paint_triggers(self, painter: QPainter) -> None:
        t = theme()
        lane = self._lane(0)
        cycle = self._cycles[0]
        instants, missed = self._triggers(cycle)
        if instants is None:
            painter.setPen(color(t.soft))
            painter.drawText(
                lane, Qt.AlignmentFlag.AlignCenter, "too many triggers to draw; zoom in"
            )
            return
        for number, at_s in enumerate(instants):
            x, y = self.x_of(at_s), lane.center().y()
            shape = QPolygonF([QPointF(x, y - 6), QPointF(x + 5, y + 6), QPointF(x - 5, y + 6)])
            painter.setPen(QPen(color(t.bad if missed[number] else t.ink), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush if missed[number] else color(t.ink))
            painter.drawPolygon(shape)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _triggers(self, cycle: ScanTiming) -> tuple[list[float] | None, list[bool]]:
        """Instants in view, and which of them find the converter busy; None when there are too
        many."""
        trigger = cycle.trigger
        if trigger.pace != "pattern":
            return ([] if trigger.pace == "never" else [0.0]), [False]
        period_s = float(cycle.period_s)
        first = max(0, math.floor(self._begin_s / period_s))
        last = math.ceil((self._begin_s + self._span_s) / period_s)
        if last - first > MOST_CYCLES:
            return None, []
        singly = len(cycle.slots) if cycle.triggers_per_cycle % len(cycle.slots) == 0 else 1
        starts = (
            {round(float(slot.start_s) / period_s) for slot in cycle.slots} if singly > 1 else {0}
        )
        numbers = range(first, last + 1)
        served = [number % cycle.triggers_per_cycle in starts for number in numbers]
        return [number * period_s for number in numbers], [not is_served for is_served in served]

    def _paint_converter(self, painter: QPainter, cycle: ScanTiming, lane: QRectF) -> None:
        t = theme()
        period_s = float(1 / cycle.cycle_rate_hz)
        cycles = self._visible(cycle)
        if not cycles:
            painter.fillRect(lane.adjusted(0, 4, 0, -4), color(t.band))
        for number in cycles:
            origin_s = number * period_s
            for slot in cycle.slots:
                start_s, end_s, sampling_s = slot.drawn_s
                left, right = self.x_of(origin_s + start_s), self.x_of(origin_s + end_s)
                if right < lane.left() or left > lane.right():
                    continue
                bar = QRectF(left, lane.top() + 3, max(0.7, right - left), lane.height() - 6)
                share = sampling_s * slot.repeats / (end_s - start_s)
                index = self._indexes[slot.signal]
                if bar.width() < NARROW_PX:
                    painter.fillRect(bar, signal_color(index))
                else:
                    self._paint_conversions(painter, bar, slot.repeats, share, index)
                    self._paint_slot_name(painter, bar, share, slot.place, slot.signal)
                chosen = (
                    self._selection.converter == cycle.converter
                    and self._selection.place == slot.place
                )
                if chosen and self._selection.signal:
                    painter.setPen(QPen(color(t.ink), 2))
                    painter.drawRect(bar.adjusted(-1, -1, 1, 1))
            slack_s = float(cycle.slack_s)
            if slack_s > 0 and cycle.trigger.pace == "pattern" and cycle.triggers_per_cycle == 1:
                left, right = (
                    self.x_of(origin_s + float(cycle.busy_s)),
                    self.x_of(origin_s + period_s),
                )
                area = QRectF(left, lane.top() + 3, right - left, lane.height() - 6)
                painter.setPen(QPen(color(t.hairline), 1, Qt.PenStyle.DashLine))
                painter.drawRect(area)
                text = f"slack {format_rounded(cycle.slack_s, 's', 4)}"
                painter.setFont(text_font(-1))
                seen = area.intersected(lane)
                if painter.fontMetrics().horizontalAdvance(text) + 12 < seen.width():
                    painter.setPen(color(t.soft))
                    painter.drawText(seen, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_conversions(
        self, painter: QPainter, bar: QRectF, repeats: int, share: float, index: int
    ) -> None:
        """A slot, or each of its repeated conversions where there is room to tell them apart."""
        if repeats == 1 or bar.width() / repeats < 4:
            paint_slot(painter, bar, share if repeats == 1 else 0.5, index)
            return
        width = bar.width() / repeats
        for number in range(repeats):
            paint_slot(
                painter,
                QRectF(bar.left() + number * width, bar.top(), width, bar.height()),
                share,
                index,
            )

    def _paint_slot_name(
        self, painter: QPainter, bar: QRectF, share: float, place: int, name: str
    ) -> None:
        painter.setFont(number_font(-1))
        metrics = painter.fontMetrics()
        inside = QRectF(bar.left() + 4, bar.top(), bar.width() * share - 6, bar.height())
        text = f"{place + 1} {name}"
        if metrics.horizontalAdvance(text) > inside.width():
            text = str(place + 1)
        if metrics.horizontalAdvance(text) <= inside.width():
            painter.setPen(color(theme().card))
            painter.drawText(
                inside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text
            )

    def _paint_dma(self, painter: QPainter, lane: QRectF) -> None:
        for cycle in self._cycles:
            period_s = float(1 / cycle.cycle_rate_hz)
            for number in self._visible(cycle):
                for slot in cycle.slots:
                    x = self.x_of(number * period_s + slot.drawn_s[1])
                    if lane.left() - 2 <= x <= lane.right() + 2:
                        bar = QRectF(x - 1.5, lane.top() + 5, 3, lane.height() - 10)
                        painter.fillRect(bar, signal_color(self._indexes[slot.signal]))

    def _paint_processor(self, painter: QPainter, lane: QRectF) -> None:
        """Handlers, as long as they are and in turns; those of marks run once in many cycles."""
        assert self._workspace is not None
        t = theme()
        calls = self._handler_calls(self._workspace)
        for number, chain in enumerate(self._workspace.project.chains):
            timing = retrieval_timing(self._workspace, chain)
            painter.setPen(QPen(color(t.bad if timing.lost_hz else t.faint), 1))
            painter.setBrush(color(t.bad if timing.lost_hz else t.faint, 120))
            last_right = lane.left()
            for start_s, length_s in calls[number]:
                left = self.x_of(start_s)
                width = max(2.0, length_s / self._span_s * lane.width())
                bar = QRectF(left, lane.top() + 4, width, lane.height() - 8)
                painter.drawRect(bar)
                last_right = max(last_right, bar.right())
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if number:
                continue
            painter.setFont(text_font(-1))
            painter.setPen(color(t.soft))
            room = QRectF(
                last_right + 6, lane.top(), max(0.0, lane.right() - last_right - 6), lane.height()
            )
            elide(painter, room, self._handler_text(chain))

    def _handler_calls(self, workspace: Workspace) -> list[list[tuple[float, float]]]:
        """When the handlers of each converter begin, and how long they take: one after the other, as they
        come; what is polled comes when it is there."""
        chains = workspace.project.chains
        due = sorted(
            (start_s, number)
            for number, chain in enumerate(chains)
            for start_s in self._handler_starts(chain, self._cycles[number])
        )
        calls: list[list[tuple[float, float]]] = [[] for _ in chains]
        free_s = 0.0
        for start_s, number in due:
            length_s = float(isr_service_s(workspace, chains[number]))
            if has_isr(chains[number]):
                start_s = max(start_s, free_s)
                free_s = start_s + length_s
            calls[number].append((start_s, length_s))
        return calls

    def _handler_starts(self, chain: Chain, cycle: ScanTiming) -> list[float]:
        """When the chain's handler begins, in the first cycle: at a mark, or after each result."""
        if chain.readout.kind in {"dma", "fifo"}:
            return [float(cycle.slots[-1].end_s)]
        if chain.results_per_isr == len(chain.slots):
            return [float(cycle.slots[-1].end_s)]
        return [float(slot.end_s) for slot in cycle.slots]

    def _handler_text(self, chain: Chain) -> str:
        assert self._workspace is not None
        timing = retrieval_timing(self._workspace, chain)
        share = format_percent(timing.cpu_share, 2)
        if chain.readout.kind == "dma":
            loop = buffer_timing(self._workspace, chain)
            return f"half-full ISR, every {loop.items / 2 / loop.slots:g} scans · {share}"
        if chain.readout.kind == "fifo":
            return f"FIFO ISR, every {chain.results_per_isr} results · {share}"
        return f"{chain.readout.kind}, {format_si(timing.events_hz, 'Hz', 4)} · {share}"
