"""Which strips are shown, ticked in a list."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from wattigram.desktop.widgets.streams.changing_strip import STAGE as OUTPUT
from wattigram.desktop.widgets.streams.strips import Strip

MOST_AT_FIRST = 8
"""Strips."""
KEY_ROLE = Qt.ItemDataRole.UserRole


class SignalList(QListWidget):
    """An item for each trace, by its name and stage."""

    chosen = pyqtSignal()
    """Something else is ticked."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Signals shown")
        self.itemChanged.connect(lambda _item: self.chosen.emit())

    @property
    def ticked(self) -> frozenset[tuple[str, str]]:
        """Name and stage of what is."""
        items = (self.item(number) for number in range(self.count()))
        return frozenset(
            tuple(item.data(KEY_ROLE))
            for item in items
            if item is not None and item.checkState() == Qt.CheckState.Checked
        )

    def show_traces(self, traces: tuple[Strip, ...]) -> None:
        """Have signals ticked, each by the last of its stages (filtered values, or its quantity), and outputs as long as
        there is room."""
        last = {trace.name: trace.stage for trace in traces if trace.stage not in {"raw", OUTPUT}}
        wanted = [
            (trace.name, trace.stage)
            for trace in traces
            if last.get(trace.name, trace.stage) == trace.stage
        ]
        signals = sum(stage != OUTPUT for _name, stage in wanted)
        shown = set(wanted[: max(signals, MOST_AT_FIRST)])
        self.blockSignals(True)
        self.clear()
        for trace in traces:
            item = QListWidgetItem(trace.name + _stage_text(trace, trace.name in last))
            item.setData(KEY_ROLE, (trace.name, trace.stage))
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            is_shown = (trace.name, trace.stage) in shown
            item.setCheckState(Qt.CheckState.Checked if is_shown else Qt.CheckState.Unchecked)
            self.addItem(item)
        self.blockSignals(False)


def _stage_text(trace: Strip, has_stages: bool) -> str:
    if trace.stage == OUTPUT:
        return " · out"
    if trace.stage == "raw":
        return " · raw" if has_stages else ""
    return f" · {trace.stage}"
