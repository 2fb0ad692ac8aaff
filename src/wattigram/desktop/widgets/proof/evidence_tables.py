"""What a verdict rests on, in words."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.judge import Evidence, Proof
from wattigram.core.judge.evidence import HistogramPanel, Panel, ScatterPanel, TracePanel
from wattigram.desktop.widgets.seen_table import SeenTable


def proof_table(proof: Proof) -> SeenTable:
    """A row for each verdict, then for each cause and each register that differs."""
    rows: list[tuple[str, ...]] = [
        (verdict.outcome, verdict.text, verdict.note, verdict.limits_text)
        for verdict in proof.verdicts
    ]
    rows += [
        ("likely cause", cause.title, f"{cause.fit * 100:.0f} %", cause.evidence)
        for cause in proof.causes
    ]
    rows += [("register differs", text, "", "") for text in proof.differences]
    return SeenTable("Verdicts", ("Outcome", "Must hold", "Found", "Limits"), tuple(rows))


def evidence_tables(evidence: Evidence) -> tuple[SeenTable, ...]:
    """A table for each panel."""
    return tuple(_panel(panel) for panel in evidence.panels)


def _panel(panel: Panel) -> SeenTable:
    match panel:
        case TracePanel():
            return _trace(panel)
        case ScatterPanel():
            return _scatter(panel)
        case HistogramPanel():
            return _histogram(panel)


def _said(values: NDArray[np.float64], unit: str) -> list[str]:
    return [
        "missing"
        if not np.isfinite(value)
        else (format_volts(value) if unit == "V" else format_si(value, unit, 6))
        for value in values.tolist()
    ]


def _trace(panel: TracePanel) -> SeenTable:
    """Values that are drawn as lines come first, by their labels, then events."""
    drawn = [*panel.lines, *panel.levels]
    drawn += [(limit.value, limit.label or "edge of what is allowed") for limit in panel.limits]
    lines = [("", label, *_said(np.full(1, value), panel.unit), "", "") for value, label in drawn]
    lines += [
        (format_si(at, panel.x_unit, 9), f"event {'begins' if began else 'ends'}", "", "", "")
        for at, began in panel.events
    ]
    unit = panel.unit
    columns = (
        [format_si(at, panel.x_unit, 9) for at in panel.times_s.tolist()],
        [""] * len(panel.times_s),
        _said(panel.low_v, unit),
        _said(panel.high_v, unit),
        [
            "–" if not np.isfinite(low) else f"{a} to {b}"
            for low, a, b in zip(
                panel.band_low_v.tolist(),
                _said(panel.band_low_v, unit),
                _said(panel.band_high_v, unit),
                strict=True,
            )
        ],
    )
    head = ("At", "Line", "Lowest", "Highest", "Expected")
    return SeenTable(panel.title, head, (*lines, *zip(*columns, strict=True)))


def _scatter(panel: ScatterPanel) -> SeenTable:
    """Points with what the straight line predicts at each."""
    columns = (
        _said(panel.x_v, "V"),
        _said(panel.y_v, "V"),
        _said(panel.slope * panel.x_v, "V"),
    )
    head = (panel.x_label, panel.y_label, panel.line_label)
    return SeenTable(panel.title, head, tuple(zip(*columns, strict=True)))


def _histogram(panel: HistogramPanel) -> SeenTable:
    """Ranges of codes that came at all."""
    rows = tuple(
        (f"{low:g}", f"{high:g}", str(count))
        for low, high, count in zip(
            panel.edges[:-1].tolist(), panel.edges[1:].tolist(), panel.counts.tolist(), strict=True
        )
        if count
    )
    return SeenTable(panel.title, ("From code", "Below code", "Times"), rows)
