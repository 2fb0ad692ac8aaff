"""The Chain page's drawings in words."""

from __future__ import annotations

from wattigram.core.advise.findings import Finding
from wattigram.core.base.quantity import exact_text, format_rounded
from wattigram.core.capture.session import Snapshot
from wattigram.core.model.design import Workspace
from wattigram.core.predict.timing import buffer_timing, scan_timing
from wattigram.desktop.state.selection import FACETS
from wattigram.desktop.widgets.chain import row_text
from wattigram.desktop.widgets.chain.chain_layout import TITLES
from wattigram.desktop.widgets.chain.output_text import output_texts
from wattigram.desktop.widgets.seen_table import SeenTable, one_line

CELLS = FACETS[1:-1]


def signal_table(
    workspace: Workspace, snapshot: Snapshot, findings: dict[tuple[str, str], Finding]
) -> SeenTable:
    """A row for each slot, then for signals that have none; findings stand in a column of their own."""
    project = workspace.project
    places = [
        (chain, place, project.signal(slot.signal))
        for chain in project.chains
        for place, slot in enumerate(chain.slots)
    ]
    free = [
        (None, -1, signal) for signal in project.signals if project.chain_of(signal.name) is None
    ]
    rows = []
    for chain, place, signal in (*places, *free):
        cells = row_text.cells(workspace, chain, signal, place, snapshot)
        name, pin, reading = row_text.signal_lines(workspace, chain, signal, snapshot)
        told = [one.title for facet in FACETS if (one := findings.get((signal.name, facet)))]
        rows.append(
            (
                chain.converter if chain is not None else "none",
                name,
                pin,
                *(one_line(cells[facet]) for facet in CELLS),
                reading,
                "; ".join(told),
            )
        )
    titles = tuple(title.capitalize() for title in TITLES[1:-1])
    return SeenTable(
        "Signals", ("Converter", "Signal", "Pin", *titles, "Reading", "Findings"), tuple(rows)
    )


def converter_table(workspace: Workspace) -> SeenTable:
    """What is shared by the signals of a converter: trigger, slots, clock, and how results leave."""
    rows = []
    for chain in workspace.project.chains:
        name, shared, leaving = row_text.yoke(workspace, chain)
        rows.append((name, one_line((shared,)), leaving))
    return SeenTable("Converters", ("Converter", "Trigger, slots, clock", "Results"), tuple(rows))


def output_table(workspace: Workspace) -> SeenTable:
    """A row for each output."""
    rows = tuple(
        (
            text.name,
            text.where,
            text.figure,
            one_line(tuple(line for cell in text.cells for line in cell)),
            text.looped,
        )
        for text in output_texts(workspace)
    )
    return SeenTable("Outputs", ("Output", "Where", "Figure", "Settings", "Led to"), rows)


def timing_table(workspace: Workspace) -> SeenTable:
    """A row for each slot; instants count from the cycle's first trigger."""
    rows = [
        (
            cycle.converter,
            str(slot.place + 1),
            slot.signal,
            str(slot.repeats),
            exact_text(slot.start_s, "s"),
            exact_text(slot.sampling_s, "s"),
            exact_text(slot.conversion_s, "s"),
            exact_text(slot.held_s, "s"),
            exact_text(slot.end_s, "s"),
            exact_text(cycle.cycle_s, "s"),
        )
        for chain in workspace.project.chains
        for cycle in (scan_timing(workspace, chain),)
        for slot in cycle.slots
    ]
    head = (
        "Converter",
        "Slot",
        "Signal",
        "Conversions",
        "Begins",
        "Sampling",
        "Conversion",
        "Held",
        "Code ready",
        "Cycle",
    )
    return SeenTable("Timing", head, tuple(rows))


def buffer_table(workspace: Workspace, places: dict[str, int]) -> SeenTable:
    """A row for each circular buffer; ``places`` say which item is written next."""
    rows = []
    for chain in workspace.project.chains:
        loop = buffer_timing(workspace, chain)
        at = places.get(chain.buffer.name)
        rows.append(
            (
                loop.name,
                chain.converter,
                str(loop.items),
                str(loop.bytes),
                format_rounded(loop.half_s, "s"),
                "yes" if loop.in_step else "no",
                "yes" if loop.halves_in_step else "no",
                "not running" if at is None else str(at),
            )
        )
    head = (
        "Buffer",
        "Of",
        "Items",
        "Bytes",
        "Half full every",
        "Holds whole scans",
        "Halves too",
        "Item written next",
    )
    return SeenTable("Buffers in memory", head, tuple(rows))
