"""The rows of the Chain page, painted: one line per signal, all the way."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPen, QRegion, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from wattigram.core.advise.findings import Finding, cell_of
from wattigram.core.capture.session import Snapshot
from wattigram.core.model.design import Workspace
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.state.selection import FACETS, Selection
from wattigram.desktop.theme import color, heading_font, number_font, text_font, theme
from wattigram.desktop.widgets.chain import row_text
from wattigram.desktop.widgets.chain.chain_layout import (
    TITLES,
    ChainLayout,
    RowItem,
    RowKey,
    YokeItem,
    lay_out,
)
from wattigram.desktop.widgets.chain.chain_tables import converter_table, signal_table
from wattigram.desktop.widgets.chain.stream_cell import StreamPainter
from wattigram.desktop.widgets.drawing import draw_marker, elide
from wattigram.desktop.widgets.finding_mark import paint_finding
from wattigram.desktop.widgets.seen_table import SeenTable

STREAM = FACETS.index("stream")


class ChainRows(QWidget):
    """Shows a workspace, its findings, a selection and what the board sends; :class:`ChainView`
    adds the hand."""

    columns_changed = pyqtSignal()
    """Streams need another number of columns."""
    laid_out = pyqtSignal()
    """Columns are elsewhere than before."""

    def __init__(self) -> None:
        super().__init__()
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("Chain rows")
        self._workspace: Workspace | None = None
        self._findings: dict[tuple[str, str], Finding] = {}
        self._snapshot = Snapshot()
        self._layout: ChainLayout | None = None
        self._least_height = 200.0
        self._selection = Selection()
        self._looks: dict[RowKey, tuple[object, ...]] = {}
        self._painters: dict[RowKey, StreamPainter] = {}

    def show_workspace(self, workspace: Workspace, findings: tuple[Finding, ...]) -> None:
        """Show a design with its findings."""
        self._workspace = workspace
        self._findings = {}
        for finding in findings:
            facet = cell_of(finding.code)
            if not facet:
                continue
            names = [finding.signal]
            chain = workspace.project.chain(finding.converter)
            if not finding.signal and chain is not None:
                names = [slot.signal for slot in chain.slots]
            for name in names:
                self._findings.setdefault((name, facet), finding)
        before = self._layout
        self._lay_out()
        # What is scrolled out of view is painted when it comes into view, so nobody asks how it
        # looks.
        seen = QRectF(self.visibleRegion().boundingRect())
        rows = (
            [row for row in self._layout.rows if row.rect.intersects(seen)] if self._layout else []
        )
        looks = {row.key: self._look(row) for row in rows}
        if (
            self._layout is None
            or before is None
            or [row.rect for row in before.rows] != [row.rect for row in self._layout.rows]
        ):
            self.update()
        else:
            self._update_changed(self._layout, rows, looks)
        self._looks = looks

    def _update_changed(
        self, layout: ChainLayout, rows: list[RowItem], looks: dict[RowKey, tuple[object, ...]]
    ) -> None:
        """Paint the cells anew that look otherwise than before, and the yokes."""
        for row in rows:
            known = self._looks.get(row.key)
            for column, look in enumerate(looks[row.key]):
                if known is None or look != known[column]:
                    self.update(layout.cell(row, column).toAlignedRect().adjusted(0, 0, 1, 1))
        for yoke in layout.yokes:
            self.update(yoke.rect.toAlignedRect())

    def _look(self, row: RowItem) -> tuple[object, ...]:
        """All that the picture of each cell depends on, the stream's data aside."""
        assert self._workspace is not None
        texts = row_text.cells(self._workspace, row.chain, row.signal, row.place, self._snapshot)
        shares = (
            row_text.slot_shares(self._workspace, row.chain, row.place) if row.chain else (0.0, 0.0)
        )
        wiring = self._workspace.wiring(row.signal.pin)
        parts = []
        for facet in FACETS:
            own: tuple[object, ...] = texts.get(facet, ())
            if facet == "signal":
                own = (
                    row.index,
                    row.signal.name,
                    row.signal.pin,
                    row.signal.negative,
                    row.chain is None,
                )
            elif facet == "sample":
                own = (own, shares)
            elif facet == "stream":
                own = (row.signal, wiring, self._workspace.reference_v)
            parts.append((own, self._findings.get((row.signal.name, facet))))
        return tuple(parts)

    def seen_tables(self) -> tuple[SeenTable, ...]:
        """The rows in words, and what converters share."""
        if self._workspace is None:
            return ()
        signals = signal_table(self._workspace, self._snapshot, self._findings)
        return (signals, converter_table(self._workspace))

    def show_snapshot(self, snapshot: Snapshot) -> None:
        """Show what the board has sent; only streams and readings are painted anew."""
        counts = snapshot.totals != self._snapshot.totals
        has_news = (
            snapshot.event_count != self._snapshot.event_count
            or snapshot.state != self._snapshot.state
        )
        self._snapshot = snapshot
        layout = self._layout
        if layout is None:
            return
        for yoke in layout.yokes if counts else ():
            self.update(yoke.rect.toAlignedRect())
        for row in layout.rows:
            # Within the hairlines, so that no neighbour has to be painted too.
            self.update(layout.cell(row, STREAM).adjusted(2, 2, -2, -2).toAlignedRect())
            self.update(layout.cell(row, 0).adjusted(2, 2, -2, -2).toAlignedRect())
            if has_news:
                self.update(
                    layout.cell(row, FACETS.index("thresholds"))
                    .adjusted(2, 2, -2, -2)
                    .toAlignedRect()
                )

    def show_selection(self, selection: Selection) -> None:
        """Mark a cell."""
        if selection != self._selection:
            self._selection = selection
            self.update()

    def stream_painter(self, row: RowItem) -> StreamPainter:
        """What paints a row's stream, and knows where its limits stand."""
        return self._painters.setdefault(row.key, StreamPainter())

    @property
    def layout_now(self) -> ChainLayout | None:
        """Where everything is, for those who place something beside it."""
        return self._layout

    @property
    def stream_columns(self) -> int:
        """Pixels across a stream cell."""
        if self._layout is None:
            return 200
        return max(32, int(self._layout.columns[STREAM + 1] - self._layout.columns[STREAM] - 86))

    def cell_rect(self, selection: Selection) -> QRect:
        """Place of a cell on this widget; empty where there is none."""
        layout = self._layout
        if layout is not None:
            for row in layout.rows:
                if (
                    row.signal.name == selection.signal
                    and row.place == selection.place
                    and row.is_of(selection.converter)
                ):
                    return layout.cell(row, FACETS.index(selection.column)).toAlignedRect()
            for yoke in layout.yokes:
                if (
                    not selection.signal
                    and yoke.chain is not None
                    and yoke.chain.converter == selection.converter
                ):
                    return yoke.rect.toAlignedRect()
        return QRect()

    def sizeHint(self) -> QSize:
        """As high as all rows without any stretching."""
        return QSize(700, int(self._least_height) + 8)

    def minimumSizeHint(self) -> QSize:
        """Rows may scroll, columns do not shrink for ever."""
        return QSize(560, self.sizeHint().height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Columns follow the width, rows the height."""
        before = self.stream_columns
        self._lay_out()
        self.update()
        if self.stream_columns != before:
            self.columns_changed.emit()

    def _lay_out(self) -> None:
        if self._workspace is None:
            return
        line = float(self.fontMetrics().height())
        least = lay_out(self._workspace, float(self.width()), line).height
        if least != self._least_height:
            self._least_height = least
            self.setMinimumHeight(int(least) + 8)
            self.updateGeometry()
        before = self._layout.columns if self._layout is not None else None
        self._layout = lay_out(self._workspace, float(self.width()), line, self.height() - 8.0)
        if self._layout.columns != before:
            self.laid_out.emit()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint what the event asks for."""
        painter = QPainter(self)
        area = event.rect() if event is not None else self.rect()
        painter.fillRect(area, color(theme().paper))
        layout, workspace = self._layout, self._workspace
        if layout is None or workspace is None:
            return
        clip = event.region() if event is not None else QRegion(area)
        if area.top() < layout.header_height:
            self._paint_titles(painter, layout)
        for yoke in layout.yokes:
            if clip.intersects(yoke.rect.toAlignedRect()):
                self._paint_yoke(painter, workspace, yoke)
        for row in layout.rows:
            if clip.intersects(row.rect.toAlignedRect()):
                self._paint_row(painter, workspace, layout, row, clip)
        if not layout.rows:
            painter.setPen(color(theme().soft))
            painter.setFont(text_font(1))
            painter.drawText(
                self.rect().adjusted(0, int(layout.header_height), 0, 0),
                Qt.AlignmentFlag.AlignCenter,
                "No signal yet. Ctrl+Shift+N adds one, Ctrl+K offers templates.",
            )

    def _paint_titles(self, painter: QPainter, layout: ChainLayout) -> None:
        painter.setFont(heading_font())
        painter.setPen(color(theme().faint))
        for column, title in enumerate(TITLES):
            left = layout.columns[column] + 8
            width = layout.columns[column + 1] - left - 4
            text = "STREAM: TINT IS EXPECTED, LINE IS CAPTURED" if column == STREAM else title
            if column == STREAM and painter.fontMetrics().horizontalAdvance(text) > width:
                text = title
            elide(painter, QRectF(left, 4, width, layout.header_height - 4), text)

    def _paint_yoke(self, painter: QPainter, workspace: Workspace, yoke: YokeItem) -> None:
        t = theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        chosen = not self._selection.signal and yoke.chain is not None
        chosen = (
            chosen and yoke.chain is not None and yoke.chain.converter == self._selection.converter
        )
        # Straight corners: rounded ones take longer to paint than all the rest.
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.fillRect(yoke.rect.toAlignedRect(), color(t.band))
        painter.setPen(QPen(color(t.action), 2) if chosen else QPen(color(t.hairline), 1))
        painter.drawRect(yoke.rect.toAlignedRect().adjusted(0, 0, -1, -1))
        inner = yoke.rect.adjusted(8, 0, -8, 0)
        if yoke.chain is None:
            painter.setFont(text_font(0, QFont.Weight.DemiBold))
            painter.setPen(color(t.bad))
            elide(painter, inner, "In no slot: never converted")
            return
        name, left, right = row_text.yoke(workspace, yoke.chain)
        counted = row_text.counted(workspace, yoke.chain, self._snapshot)
        right = f"{counted} · {right}" if counted else right
        painter.setFont(text_font(0, QFont.Weight.Bold))
        painter.setPen(color(t.ink))
        elide(painter, inner, name)
        used = painter.fontMetrics().horizontalAdvance(name) + 16
        painter.setFont(text_font(-0.5))
        painter.setPen(color(t.soft))
        right_width = min(
            painter.fontMetrics().horizontalAdvance(right) + 2.0, inner.width() * 0.45
        )
        elide(
            painter,
            QRectF(inner.right() - right_width, inner.top(), right_width, inner.height()),
            right,
            Qt.AlignmentFlag.AlignRight,
        )
        painter.setPen(color(t.bad if scan_timing(workspace, yoke.chain).missed_hz else t.soft))
        elide(painter, inner.adjusted(used, 0, -right_width - 16, 0), left)

    def _paint_row(
        self,
        painter: QPainter,
        workspace: Workspace,
        layout: ChainLayout,
        row: RowItem,
        clip: QRegion,
    ) -> None:
        t = theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        mine = self._selection.signal == row.signal.name and self._selection.place == row.place
        mine = mine and row.is_of(self._selection.converter)
        with_it = row.chain is not None and row.place in self._selection.also
        with_it = (
            with_it and row.chain is not None and row.chain.converter == self._selection.converter
        )
        mine = mine or with_it
        if mine:
            painter.fillRect(row.rect, color(t.card))
        texts: dict[str, tuple[str, ...]] | None = None
        for column, facet in enumerate(FACETS):
            cell = layout.cell(row, column)
            if not clip.intersects(cell.toAlignedRect()):
                continue
            finding = self._findings.get((row.signal.name, facet))
            if finding is not None:
                paint_finding(painter, cell, finding)
            if column == STREAM:
                self._paint_stream(painter, workspace, row, cell)
            elif facet == "signal":
                lines = row_text.signal_lines(workspace, row.chain, row.signal, self._snapshot)
                self._paint_signal(painter, row, cell, lines)
            else:
                if texts is None:
                    texts = row_text.cells(
                        workspace, row.chain, row.signal, row.place, self._snapshot
                    )
                self._paint_text(painter, cell, texts[facet], number_line=facet == "transfer")
                if facet == "sample" and row.chain is not None:
                    self._paint_sampling(painter, workspace, row, cell)
            if column:
                painter.setPen(QPen(color(t.hairline), 1, Qt.PenStyle.DotLine))
                painter.drawLine(cell.topLeft(), cell.bottomLeft())
            if mine and facet == self._selection.column:
                strength = t.action if self.hasFocus() else t.faint
                painter.setPen(QPen(color(strength), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(cell.adjusted(2, 2, -2, -2))
        painter.setPen(QPen(color(t.hairline), 1))
        painter.drawLine(row.rect.bottomLeft(), row.rect.bottomRight())

    def _paint_signal(
        self, painter: QPainter, row: RowItem, cell: QRectF, lines: tuple[str, ...]
    ) -> None:
        t = theme()
        line = float(self.fontMetrics().height())
        top = cell.top() + 7
        draw_marker(painter, QPointF(cell.left() + 13, top + line / 2), row.index)
        painter.setFont(text_font(0, QFont.Weight.DemiBold))
        painter.setPen(color(t.ink))
        elide(painter, QRectF(cell.left() + 23, top, cell.width() - 27, line), lines[0])
        painter.setFont(text_font(-1))
        painter.setPen(color(t.soft))
        elide(painter, QRectF(cell.left() + 8, top + line, cell.width() - 12, line), lines[1])
        painter.setFont(number_font(0.5, QFont.Weight.DemiBold))
        painter.setPen(color(t.ink))
        elide(
            painter, QRectF(cell.left() + 8, top + 2 * line + 2, cell.width() - 12, line), lines[2]
        )

    def _paint_text(
        self, painter: QPainter, cell: QRectF, lines: tuple[str, ...], number_line: bool
    ) -> None:
        t = theme()
        line = float(self.fontMetrics().height())
        rect = QRectF(cell.left() + 8, cell.top() + 7, cell.width() - 14, line)
        for number, text in enumerate(lines):
            painter.setFont(
                number_font(-1)
                if number_line and number == 0
                else text_font(0 if number == 0 else -1)
            )
            painter.setPen(color(t.ink if number == 0 else t.soft))
            elide(painter, rect, text)
            rect.translate(0, line)

    def _paint_sampling(
        self, painter: QPainter, workspace: Workspace, row: RowItem, cell: QRectF
    ) -> None:
        """The slot to scale among the converter's slots: filled while sampling, open while
        converting."""
        assert row.chain is not None
        line = float(self.fontMetrics().height())
        sampling, total = row_text.slot_shares(workspace, row.chain, row.place)
        bar = QRectF(
            cell.left() + 8, cell.top() + 9 + 2 * line, (cell.width() - 20) * total, line * 0.62
        )
        row_text.paint_slot(painter, bar, sampling / total if total else 0.0, row.index)

    def _paint_stream(
        self, painter: QPainter, workspace: Workspace, row: RowItem, cell: QRectF
    ) -> None:
        stream = self.stream_painter(row)
        picture = self._snapshot.pictures.get(row.signal.name)
        stream.paint(painter, cell, workspace, row.signal, row.index, picture)
