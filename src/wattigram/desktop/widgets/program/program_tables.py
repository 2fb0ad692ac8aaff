"""The Program page's drawings in words."""

from __future__ import annotations

from wattigram.core.base.quantity import format_rounded
from wattigram.core.predict.program import ProcessorTimeline
from wattigram.desktop.widgets.program.row_text import ProgramRow
from wattigram.desktop.widgets.seen_table import SeenTable, one_line


def program_table(rows: list[ProgramRow]) -> SeenTable:
    """A row for each thing that the program, DMA, a port or a timer does."""
    listed, under = [], ""
    for row in rows:
        if not row.section:
            under = row.name
            continue
        cells = [one_line(cell) for cell in row.cells[:4]]
        listed.append((under, *cells, *("",) * (4 - len(cells))))
    return SeenTable("Program", ("By", "When", "Do", "Where", "After"), tuple(listed))


def processor_table(timeline: ProcessorTimeline) -> SeenTable:
    """A row for each block of each lane; instants count from the timeline's zero."""
    rows = []
    for lane in timeline.lanes:
        for block in lane.blocks:
            busy_s = sum(
                (end_s - begin_s for begin_s, end_s in block.pieces), start=0 * block.end_s
            )
            rows.append(
                (
                    lane.title,
                    block.label or "ISR",
                    format_rounded(block.begin_s - timeline.zero_s, "s"),
                    format_rounded(block.end_s - timeline.zero_s, "s"),
                    format_rounded(busy_s, "s"),
                    str(len(block.pieces) - 1),
                    "only when something happens" if block.only_at_event else "",
                )
            )
        rows += [
            (lane.title, name, "–", "–", "–", "–", "clocks not stated") for name in lane.unstated
        ]
    head = ("Runs", "What", "Begins", "Ends", "Busy", "Interrupted", "Note")
    return SeenTable("Processor", head, tuple(rows))
