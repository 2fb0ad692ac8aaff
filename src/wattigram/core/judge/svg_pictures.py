"""Evidence as SVG, for the report."""

from __future__ import annotations

import math
from html import escape

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.quantity import format_si, round_values
from wattigram.core.base.signal_marks import DASHES, ON_PAPER
from wattigram.core.judge.evidence import HistogramPanel, Panel, ScatterPanel, TracePanel

WIDTH, HEIGHT = 720, 240
LEFT, RIGHT, TOP, BOTTOM = 70, 12, 26, 26
THINNEST_BAND = 7.0
HALF_LETTER = 3.3
"""Half the width of a letter of a scale, at most."""
FloatArray = NDArray[np.float64]
Span = tuple[float, float]


ALONE = """
.title {{ font-size: 12px; fill: #6b6b66; }} .grid {{ stroke: #E8E3D8; }} .tick {{ font-size: 11px; fill: #6b6b66; }}
.end {{ text-anchor: end; }} .mid {{ text-anchor: middle; }} .band {{ fill: {colour}; fill-opacity: .2; }}
.captured {{ fill: none; stroke: {colour}; stroke-width: 1.2; {dashes} }}
.mark {{ stroke: #A3271C; stroke-dasharray: 4 3; }} .marktext {{ font-size: 11px; fill: #A3271C; }}
.level, .limit {{ stroke: #6b6b66; stroke-dasharray: 1 3; }} .leveltext, .limittext {{ font-size: 11px; fill: #6b6b66; }}
.began {{ fill: #23262D; stroke: #23262D; }} .ended {{ fill: #FFFFFF; stroke: #23262D; }}
.dot {{ fill: {colour}; fill-opacity: .5; }} .predicted {{ stroke: #23262D; stroke-dasharray: 3 3; fill: none; }}
.bar {{ fill: {colour}; }}
"""
"""Style of a picture that no page gives one."""


def panel_svg(panel: Panel, index: int = 0, alone: bool = False) -> str:
    """One panel as an SVG element, in the colour and line pattern of the signal in that place of the project;
    with ``alone`` as a whole document with a style of its own."""
    match panel:
        case TracePanel():
            body, x, y, units = _trace(panel)
        case ScatterPanel():
            body, x, y, units = _scatter(panel)
        case HistogramPanel():
            body, x, y, units = _histogram(panel)
    title = f'<text x="{LEFT}" y="16" class="title">{escape(panel.title)}</text>'
    place = index % len(ON_PAPER)
    if alone:
        dashes = f"stroke-dasharray: {DASHES[place]};" if DASHES[place] else ""
        own = ALONE.format(colour=ON_PAPER[place], dashes=dashes)
        return (
            f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{HEIGHT}" '
            f'viewBox="0 0 {WIDTH} {HEIGHT}"><style>{own}</style>{title}{_axes(x, y, units)}{body}</svg>'
        )
    style = f"--signal:{ON_PAPER[place]};--dash:{DASHES[place] or 'none'}"
    return (
        f'<svg viewBox="0 0 {WIDTH} {HEIGHT}" role="img" style="{style}">'
        f"{title}{_axes(x, y, units)}{body}</svg>"
    )


def _span(*parts: FloatArray) -> Span:
    values = np.concatenate([part[np.isfinite(part)] for part in parts]) if parts else np.empty(0)
    if not len(values):
        return 0.0, 1.0
    low, high = float(values.min()), float(values.max())
    margin = (high - low) * 0.06 or max(abs(high) * 0.01, 1e-3)
    return low - margin, high + margin


def _place(values: FloatArray, span: Span, start: float, end: float) -> FloatArray:
    return start + (values - span[0]) / (span[1] - span[0]) * (end - start)


def _x(values: FloatArray, span: Span) -> FloatArray:
    return _place(values, span, LEFT, WIDTH - RIGHT)


def _y(values: FloatArray, span: Span) -> FloatArray:
    return _place(values, span, HEIGHT - BOTTOM, TOP)


def _points(x: FloatArray, y: FloatArray) -> str:
    return " ".join(
        f"{a:.1f},{b:.1f}" for a, b in zip(x.tolist(), y.tolist(), strict=True) if math.isfinite(b)
    )


def _axes(x: Span, y: Span, units: tuple[str, str]) -> str:
    parts = []
    for value in round_values(*y, 5):
        at_y = float(_y(np.array([value]), y)[0])
        parts.append(
            f'<line x1="{LEFT}" x2="{WIDTH - RIGHT}" y1="{at_y:.1f}" y2="{at_y:.1f}" class="grid"/>'
        )
        parts.append(
            f'<text x="{LEFT - 6}" y="{at_y + 4:.1f}" class="tick end">{format_si(value, units[1])}</text>'
        )
    for value in round_values(*x, 7):
        text = format_si(value, units[0])
        # A number at the very end is not cut by the picture's.
        at_x = min(float(_x(np.array([value]), x)[0]), WIDTH - len(text) * HALF_LETTER - 2)
        parts.append(f'<text x="{at_x:.1f}" y="{HEIGHT - 8}" class="tick mid">{text}</text>')
    return "".join(parts)


def _trace(panel: TracePanel) -> tuple[str, Span, Span, tuple[str, str]]:
    x = _span(panel.times_s)
    allowed = [(limit.value, limit.label) for limit in panel.limits]
    marks = np.array([value for value, _label in (*panel.lines, *panel.levels, *allowed)])
    y = _span(panel.low_v, panel.high_v, panel.band_low_v, panel.band_high_v, marks)
    across = _x(panel.times_s, x)
    outline_x = np.concatenate((across, across[::-1]))
    top, bottom = _y(panel.band_high_v, y), _y(panel.band_low_v, y)
    thin = (
        np.maximum(0.0, THINNEST_BAND - (bottom - top)) / 2
    )  # a band thinner than the line on it could not be seen
    outline_y = np.concatenate((top - thin, (bottom + thin)[::-1]))
    zigzag_x = np.repeat(across, 2)
    zigzag_y = np.column_stack((_y(panel.low_v, y), _y(panel.high_v, y))).ravel()
    parts = [
        f'<polygon points="{_points(outline_x, outline_y)}" class="band"/>',
        f'<polyline points="{_points(zigzag_x, zigzag_y)}" class="captured"/>',
    ]
    marked = [(*line, "mark") for line in panel.lines]
    levels = [(*level, "level") for level in panel.levels]
    limits = [(*limit, "limit") for limit in allowed]
    for value, label, style in (*limits, *levels, *marked):
        at_y = float(_y(np.array([value]), y)[0])
        parts.append(
            f'<line x1="{LEFT}" x2="{WIDTH - RIGHT}" y1="{at_y:.1f}" y2="{at_y:.1f}" class="{style}"/>'
        )
        is_at_left = style == "limit"
        text_x, end = (LEFT + 4, "") if is_at_left else (WIDTH - RIGHT - 4, " end")
        parts.append(
            f'<text x="{text_x}" y="{at_y - 5:.1f}" class="{style}text{end}">{escape(label)}</text>'
        )
    for at, began in panel.events:
        at_x = float(_x(np.array([at]), x)[0])
        corners = f"{at_x - 4:.1f},{TOP} {at_x + 4:.1f},{TOP} {at_x:.1f},{TOP + 7}"
        parts.append(f'<polygon points="{corners}" class="{"began" if began else "ended"}"/>')
    return "".join(parts), x, y, (panel.x_unit, panel.unit)


def _scatter(panel: ScatterPanel) -> tuple[str, Span, Span, tuple[str, str]]:
    x = _span(panel.x_v)
    ends = np.array(x)
    y = _span(panel.y_v, panel.slope * ends)
    dots = "".join(
        f'<circle cx="{a:.1f}" cy="{b:.1f}" r="1.6" class="dot"/>'
        for a, b in zip(_x(panel.x_v, x).tolist(), _y(panel.y_v, y).tolist(), strict=True)
    )
    line = (
        f'<polyline points="{_points(_x(ends, x), _y(panel.slope * ends, y))}" class="predicted"/>'
    )
    text = f'<text x="{LEFT + 10}" y="{TOP + 14}" class="tick">{escape(panel.line_label)}</text>'
    return dots + line + text, x, y, ("V", "V")


def _histogram(panel: HistogramPanel) -> tuple[str, Span, Span, tuple[str, str]]:
    x = (float(panel.edges[0]), float(panel.edges[-1]))
    y = (0.0, float(panel.counts.max()) * 1.08 or 1.0)
    left = _x(panel.edges[:-1], x)
    right = _x(panel.edges[1:], x)
    top = _y(panel.counts.astype(np.float64), y)
    bars = "".join(
        f'<rect x="{a:.1f}" width="{max(0.6, b - a - 1):.1f}" y="{t:.1f}" height="{HEIGHT - BOTTOM - t:.1f}" class="bar"/>'
        for a, b, t in zip(left.tolist(), right.tolist(), top.tolist(), strict=True)
        if HEIGHT - BOTTOM - t > 0.05
    )
    return bars, x, y, ("", "")
