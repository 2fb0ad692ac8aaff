"""Where things are on the Chain page: columns, yokes and rows."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QRectF

from wattigram.core.model.design import Chain, Signal, Workspace
from wattigram.desktop.state.selection import FACETS, Selection

TITLES = ("SIGNAL", "FRONT END", "SAMPLE", "TRANSFER", "FILTER", "THRESHOLDS", "STREAM")
_SHARES = (1.42, 1.1, 1.2, 0.98, 0.98, 1.14)
SMALLEST_STREAM = 168.0
TALLEST_ROW = 1.7
"""Rows grow by this much at most where the window has room."""
GAP = 8.0
RowKey = tuple[str, str, int]
SIDE = 10.0


class YokeItem(msgspec.Struct, frozen=True):
    """The bar above signals that share a converter; ``chain`` is None for those without one."""

    chain: Chain | None
    rect: QRectF


class RowItem(msgspec.Struct, frozen=True):
    """One signal in one slot; ``place`` is −1 where it has none."""

    chain: Chain | None
    place: int
    signal: Signal
    index: int
    rect: QRectF

    @property
    def key(self) -> RowKey:
        """What tells the row from all others, in any version of the design."""
        return (self.chain.converter if self.chain else "", self.signal.name, self.place)

    def is_of(self, converter: str) -> bool:
        """It belongs to that converter, or to none where none is named."""
        return (self.chain.converter if self.chain else "") == converter

    def selection(self, facet: str) -> Selection:
        """The selection that this row stands for."""
        return Selection(
            self.chain.converter if self.chain else "", self.place, self.signal.name, facet
        )


class ChainLayout(msgspec.Struct, frozen=True):
    """All places, for one width and font."""

    columns: tuple[float, ...]
    """Left edges of the columns, and the right end."""
    yokes: tuple[YokeItem, ...]
    rows: tuple[RowItem, ...]
    height: float
    header_height: float

    def cell(self, row: RowItem, column: int) -> QRectF:
        """A cell of a row."""
        left, right = self.columns[column], self.columns[column + 1]
        return QRectF(left, row.rect.top(), right - left, row.rect.height())

    def at(self, x: float, y: float) -> Selection | None:
        """What lies at a point."""
        for yoke in self.yokes:
            if yoke.rect.contains(x, y) and yoke.chain is not None:
                return Selection(yoke.chain.converter)
        for row in self.rows:
            if row.rect.contains(x, y):
                column = max(0, sum(x >= edge for edge in self.columns[:-1]) - 1)
                return row.selection(FACETS[column])
        return None


def lay_out(workspace: Workspace, width: float, line: float, room: float = 0.0) -> ChainLayout:
    """Lay the project out; ``line`` is the height of a line of text, ``room`` the height that rows
    may fill."""
    unit = line * 6.15
    stream = width - 2 * SIDE - sum(_SHARES) * unit
    if stream < SMALLEST_STREAM:
        unit = max(line * 4.7, (width - 2 * SIDE - SMALLEST_STREAM) / sum(_SHARES))
    columns = [SIDE]
    for share in _SHARES:
        columns.append(columns[-1] + share * unit)
    columns.append(max(width - SIDE, columns[-1] + 60))
    row_height = line * 3 + 18
    yoke_height = line + 8
    header = line + 12
    row_height = _stretched(workspace, row_height, yoke_height, header, room)
    y = header
    yokes: list[YokeItem] = []
    rows: list[RowItem] = []
    indexes = {signal.name: index for index, signal in enumerate(workspace.project.signals)}

    def add(chain: Chain | None, entries: list[tuple[int, Signal]]) -> None:
        nonlocal y
        yokes.append(YokeItem(chain, QRectF(SIDE, y, columns[-1] - SIDE, yoke_height)))
        y += yoke_height
        for place, signal in entries:
            rows.append(
                RowItem(
                    chain,
                    place,
                    signal,
                    indexes[signal.name],
                    QRectF(SIDE, y, columns[-1] - SIDE, row_height),
                )
            )
            y += row_height
        y += GAP

    for chain in workspace.project.chains:
        add(
            chain,
            [
                (place, workspace.project.signal(slot.signal))
                for place, slot in enumerate(chain.slots)
            ],
        )
    loose = [
        (-1, signal)
        for signal in workspace.project.signals
        if workspace.project.chain_of(signal.name) is None
    ]
    if loose:
        add(None, loose)
    if not rows:
        y += row_height  # what to do stands there
    return ChainLayout(tuple(columns), tuple(yokes), tuple(rows), y, header)


def _stretched(workspace: Workspace, row: float, yoke: float, header: float, room: float) -> float:
    """Height of a row that makes use of the room there is, within bounds."""
    project = workspace.project
    loose = sum(project.chain_of(signal.name) is None for signal in project.signals)
    rows = sum(len(chain.slots) for chain in project.chains) + loose
    groups = len(project.chains) + (loose > 0)
    if not rows:
        return row
    return max(row, min(row * TALLEST_ROW, (room - header - groups * (yoke + GAP)) / rows))
