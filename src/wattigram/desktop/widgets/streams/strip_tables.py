"""What strips show, in words."""

from __future__ import annotations

import numpy as np

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.desktop.widgets.seen_table import SeenTable
from wattigram.desktop.widgets.streams.changing_strip import ChangingStrip
from wattigram.desktop.widgets.streams.strips import Strip, Strips
from wattigram.desktop.widgets.streams.value_line import told_at

PARTS = 100
"""A stretch with more samples is told by so many parts of it."""


def strip_tables(
    data: Strips, traces: tuple[Strip, ...], view: tuple[float, float]
) -> tuple[SeenTable, ...]:
    """A table for all strips, then one for each, over the stretch in sight."""
    whole = SeenTable(
        "Strips in sight",
        ("Strip", "From", "To", "Lowest", "Highest", "Missing samples", "Events"),
        tuple(_summary(data, trace, view) for trace in traces),
    )
    return (whole, *(_course(data, trace, view) for trace in traces))


def _said(value: float, unit: str) -> str:
    if not np.isfinite(value):
        return "missing"
    return format_volts(value) if unit == "V" else format_si(value, unit, 5)


def _inside(data: Strips, view: tuple[float, float]) -> tuple[float, float]:
    return max(view[0], data.begin_s), min(view[1], data.end_s)


def _name(trace: Strip) -> str:
    return f"{trace.name}, {trace.stage}" if trace.stage else trace.name


def _summary(data: Strips, trace: Strip, view: tuple[float, float]) -> tuple[str, ...]:
    begin_s, end_s = _inside(data, view)
    _times, low, high = trace.columns(begin_s, end_s, PARTS)
    whole = np.isfinite(low)
    lowest, highest = (
        (_said(float(low[whole].min()), trace.unit), _said(float(high[whole].max()), trace.unit))
        if whole.any()
        else ("–", "–")
    )
    gaps = sum(1 for gap in trace.missing_s if gap[0] < end_s and gap[1] > begin_s)
    at_s, _entered = data.events(trace)
    events = int(((at_s >= begin_s) & (at_s <= end_s)).sum())
    return (
        _name(trace),
        format_si(begin_s, "s", 9),
        format_si(end_s, "s", 9),
        lowest,
        highest,
        f"{gaps} stretch{'es' if gaps != 1 else ''}" if gaps else "none",
        str(events),
    )


def _course(data: Strips, trace: Strip, view: tuple[float, float]) -> SeenTable:
    """Single samples where there are few, else extremes by parts; the expected band where one is drawn."""
    begin_s, end_s = _inside(data, view)
    if isinstance(trace, ChangingStrip):
        return _changes(trace, begin_s, end_s)
    times, low, high = trace.columns(begin_s, end_s, PARTS)
    band_s, band_low, band_high = data.band(trace, begin_s, end_s, PARTS)
    single = high is low
    rows: list[tuple[str, ...]] = []
    for at_s, lowest, highest in zip(times.tolist(), low.tolist(), high.tolist(), strict=True):
        said: tuple[str, ...] = (_said(lowest, trace.unit), _said(highest, trace.unit))
        if single:
            said = (told_at(trace, at_s),)
        band = ("", "")
        if len(band_s):
            near = int(np.argmin(np.abs(band_s - at_s)))
            band = (
                _said(float(band_low[near]), trace.unit),
                _said(float(band_high[near]), trace.unit),
            )
        rows.append((format_si(at_s, "s", 9), *said, *band))
    values = ("At", "Value") if single else ("Middle of the part", "Lowest", "Highest")
    return SeenTable(_name(trace), (*values, "Expected from", "Expected to"), tuple(rows))


def _changes(trace: ChangingStrip, begin_s: float, end_s: float) -> SeenTable:
    """What it is at the beginning, then each change."""
    if trace.kind == "text":
        rows = [(format_si(at_s, "s", 9), line) for at_s, line in trace.texts(begin_s, end_s)]
        return SeenTable(_name(trace), ("At", "Sent"), tuple(rows))
    first, last = trace.number_at(begin_s), trace.number_at(end_s) + 1
    changes = trace.samples(first, last).times_s.tolist()
    instants = [begin_s, *(at_s for at_s in changes if begin_s < at_s <= end_s)]
    rows = [(format_si(at_s, "s", 9), trace.text_at(at_s)) for at_s in instants]
    return SeenTable(_name(trace), ("From", "Value"), tuple(rows))
