"""What a verdict rests on, as arrays that the desktop paints and the report draws."""

from __future__ import annotations

import msgspec
import numpy as np
from msgspec import structs
from numpy.typing import NDArray

from wattigram.core.base.quantity import format_percent, format_si, format_volts
from wattigram.core.capture.take import Take
from wattigram.core.judge.causes import neighbour_points
from wattigram.core.judge.compared_streams import code_counts, compared_blocks
from wattigram.core.judge.evidence_limits import (
    Limit,
    difference_limits,
    limits_of,
    symmetric_limits,
)
from wattigram.core.judge.mask_judge import MaskClock
from wattigram.core.judge.output_measurements import measure_route, pair_linearity
from wattigram.core.judge.pairing import paired_blocks
from wattigram.core.judge.reaction_effects import level_at_start, samples_of, wanted_changes
from wattigram.core.judge.verdict import Verdict
from wattigram.core.model.design import (
    Chain,
    FigureExpectation,
    MaskExpectation,
    PairExpectation,
    PinAction,
    Reaction,
    Route,
    Signal,
    Workspace,
    output_of,
    rate_divisor,
    signal_scale,
    watched_levels,
)
from wattigram.core.predict.accuracy import slot_settling
from wattigram.core.predict.expected import expected_program_values
from wattigram.core.predict.pins import input_source

FloatArray = NDArray[np.float64]
COLUMNS = 800
POINTS = 700
MOST_DRAWN = 400_000
OF_EVENTS = frozenset({"threshold", "edges", "trip"})
"""Kinds whose verdict is about events."""
MOST_EVENTS = 200
MOST_CALCULATED = 1 << 22
"""Samples that are calculated for one picture, be they values of a stage afterwards."""


class TracePanel(msgspec.Struct, frozen=True):
    """Captured extremes by column on the expected band; ``lines`` are values with a label each.

    ``levels`` are voltages that the signal is compared with, and what each is called; ``events`` instants at which
    a condition began (True) or ended, in ``x_unit``.
    """

    title: str
    times_s: FloatArray
    low_v: FloatArray
    high_v: FloatArray
    band_low_v: FloatArray
    band_high_v: FloatArray
    lines: tuple[tuple[float, str], ...]
    unit: str = "V"
    x_unit: str = "s"
    levels: tuple[tuple[float, str], ...] = ()
    events: tuple[tuple[float, bool], ...] = ()
    limits: tuple[Limit, ...] = ()
    """What is allowed, in ``unit``."""


class ScatterPanel(msgspec.Struct, frozen=True):
    """Points with a predicted straight line, in volts at the pin."""

    title: str
    x_v: FloatArray
    y_v: FloatArray
    slope: float
    x_label: str
    y_label: str
    line_label: str


class HistogramPanel(msgspec.Struct, frozen=True):
    """How often each code came, ``edges`` in codes."""

    title: str
    counts: NDArray[np.int64]
    edges: FloatArray


Panel = TracePanel | ScatterPanel | HistogramPanel


class Evidence(msgspec.Struct, frozen=True):
    """All that is shown of one verdict."""

    verdict: Verdict
    panels: tuple[Panel, ...]


def evidence_for(take: Take, verdict: Verdict) -> Evidence:
    """Pictures of what a verdict rests on; none where the take has nothing of the signal."""
    route = take.workspace.project.route(verdict.signal) if verdict.kind == "route" else None
    if route is not None:
        return Evidence(verdict, _route_panels(take, route))
    reaction = take.workspace.project.reaction(verdict.signal)
    if reaction is not None and verdict.kind in {"reaction", "text"}:
        return Evidence(verdict, _reaction_panels(take, reaction, verdict))
    known = {signal.name for signal in take.workspace.project.signals}
    chain = take.workspace.project.chain_of(verdict.signal) if verdict.signal in known else None
    if chain is None or take.came(verdict.signal) < 2:
        return Evidence(verdict, ())
    panels: list[Panel] = [_twin_trace(take, verdict) or _trace(take, verdict)]
    panels += _pair_panels(take, verdict)
    scatter = _scatter(take, chain, verdict)
    if scatter is not None:
        panels.append(scatter)
    panels.append(_histogram(take, chain, verdict.signal))
    return Evidence(verdict, tuple(panels))


def _pair_panels(take: Take, verdict: Verdict) -> list[Panel]:
    """INL and DNL over the codes, with what is allowed."""
    aim = verdict.expectation
    swept = pair_linearity(take, verdict.signal) if isinstance(aim, PairExpectation) else None
    transfer = swept.transfer if swept is not None else None
    if transfer is None or not isinstance(aim, PairExpectation):
        return []
    codes = transfer.codes.astype(np.float64)
    panels: list[Panel] = []
    for fact, title, x, values, limit in (
        ("inl", "INL of each code", codes, transfer.inl_lsb, aim.inl_lsb),
        ("dnl", "DNL of each step", codes[1:], transfer.dnl_lsb, aim.dnl_lsb),
    ):
        low, high = _columns(values)
        across, _ = _columns(x)
        allowed = np.full(len(across), limit)
        label = f"at most {format_si(limit, 'LSB')}"
        limits = symmetric_limits(fact, limit, label, "LSB")
        panels.append(
            TracePanel(title, across, low, high, -allowed, allowed, (), "LSB", "", limits=limits)
        )
    return panels


def _route_panels(take: Take, route: Route) -> tuple[Panel, ...]:
    """Values as they arrived, on what they should be."""
    seen = measure_route(take, route)
    if len(seen.values) < 2:
        return ()
    count = min(len(seen.values), MOST_DRAWN)
    low, high = _columns(seen.values[:count].astype(np.float64))
    times, _ = _columns(seen.times_s[:count])
    band_low, band_high = low, high
    if seen.expected is not None:
        band_low, band_high = (
            _columns(seen.expected.low[:count])[0],
            _columns(seen.expected.high[:count])[1],
        )
    title = f"{route.name}: values that arrived, on what they should be"
    return (TracePanel(title, times, low, high, band_low, band_high, (), ""),)


def _reaction_panels(take: Take, reaction: Reaction, verdict: Verdict) -> tuple[Panel, ...]:
    """What a reaction moved, held until the next change, on what it should be."""
    output = output_of(reaction)
    if output is None or output.kind == "uart":
        return ()
    seen = samples_of(take, output)
    kept = ~seen.overwritten
    times_s, values = seen.times_s[kept][:MOST_DRAWN], seen.values[kept][:MOST_DRAWN]
    if len(times_s) < 2:
        return ()
    grid_s = np.linspace(float(times_s[0]), max(take.seconds, float(times_s[-1])), COLUMNS)
    low, high = _held(times_s, values.astype(np.float64), grid_s)
    band_low, band_high = low, high
    if isinstance(reaction.do, PinAction):
        within_s = float(getattr(verdict.expectation, "within_s", 0.0))
        band_low, band_high = _pin_band(take, reaction.do.pin, within_s, grid_s)
    else:
        wanted = expected_program_values(take.workspace, reaction, grid_s)
        if wanted is not None and output.kind != "pins":
            band_low, band_high = wanted.low, wanted.high
    title = f"{output.title}: as it was, on what it should be"
    return (TracePanel(title, grid_s, low, high, band_low, band_high, (), ""),)


def _held(
    times_s: FloatArray, values: FloatArray, grid_s: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Lowest and highest value between one instant and the next, each held until the one after."""
    first = np.maximum(np.searchsorted(times_s, grid_s, side="right") - 1, 0)
    last = np.append(first[1:], len(values) - 1)
    low = np.array([values[a : b + 1].min() for a, b in zip(first, last, strict=True)])
    high = np.array([values[a : b + 1].max() for a, b in zip(first, last, strict=True)])
    return low, high


def _pin_band(
    take: Take, pin: str, within_s: float, grid_s: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Levels that a pin may have: either of the two for so long after each cause."""
    level = level_at_start(take, pin)
    times_s, lows, highs = [-np.inf], [float(level)], [float(level)]
    for cause, after, _owner in wanted_changes(take, pin):
        times_s += [cause.time_s, cause.time_s + within_s]
        lows += [0.0, float(after)]
        highs += [1.0, float(after)]
    order = np.argsort(times_s, kind="stable")
    at = np.searchsorted(np.array(times_s)[order], grid_s, side="right") - 1
    return np.array(lows)[order][at], np.array(highs)[order][at]


def _lines(verdict: Verdict) -> tuple[tuple[float, str], ...]:
    if verdict.unit != "V" or verdict.measured is None or verdict.kind not in {"level", "square"}:
        return ()
    return ((verdict.measured, f"measured {verdict.measured_text}"),)


def _trace(take: Take, verdict: Verdict) -> TracePanel:
    """A telling stretch of the signal: a period or two, the reduced stream where the window is
    judged."""
    workspace = take.workspace
    signal = workspace.project.signal(verdict.signal)
    use_reduced = take.reduced_count(signal.name) > 1 and verdict.kind in {
        "threshold",
        "redundant-pair",
        "level",
    }
    if isinstance(verdict.expectation, FigureExpectation):
        use_reduced = (
            take.reduced_count(signal.name) > 1 and verdict.expectation.input == "filtered"
        )
    span_s = input_source(workspace, signal.pin).span_s if workspace.wiring(signal.pin) else 0.1
    if verdict.kind in {"threshold", "rate"}:
        span_s = max(span_s, take.span_s)
    times_s, volts, settled_v, half = _first_stretch(take, signal.name, use_reduced, span_s)
    low, high = _columns(volts)
    band_low, band_high = _columns(settled_v)
    times, _ = _columns(times_s)
    if isinstance(verdict.expectation, MaskExpectation):
        within_low, within_high = _mask_band(take, verdict.expectation, times_s, volts)
        title = f"{signal.name}: captured on its mask"
        return TracePanel(title, times, low, high, within_low, within_high, ())
    title = f"{signal.name}{', reduced' if use_reduced else ''}: captured on expected"
    shown = TracePanel(title, times, low, high, band_low - half, band_high + half, _lines(verdict))
    shown = structs.replace(shown, limits=limits_of(verdict.expectation))
    if verdict.kind not in OF_EVENTS:
        return shown
    return structs.replace(
        shown,
        levels=_levels(workspace, signal, verdict.kind == "threshold"),
        events=_events(take, signal.name, float(times_s[0]), float(times_s[-1])),
    )


def _levels(
    workspace: Workspace, signal: Signal, of_windows: bool
) -> tuple[tuple[float, str], ...]:
    """What makes the events that are judged: windows, or comparators."""
    return tuple(
        (level.volts, f"{level.name} {format_volts(level.volts)}")
        for level in watched_levels(workspace, signal)
        if (level.window >= 0) == of_windows
    )


def _events(take: Take, name: str, begin_s: float, end_s: float) -> tuple[tuple[float, bool], ...]:
    """Events of a signal in a stretch; none where there are too many to be told apart."""
    mine = take.events_of(name)
    at_s = mine["ticks"] / take.tick_hz
    inside = (at_s >= begin_s) & (at_s <= end_s)
    if np.count_nonzero(inside) > MOST_EVENTS:
        return ()
    entered = mine["entered"].astype(bool)
    return tuple(zip(at_s[inside].tolist(), entered[inside].tolist(), strict=True))


def _mask_band(
    take: Take, expectation: MaskExpectation, times_s: FloatArray, volts: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """The mask as it lies over samples, in columns; as high as the picture where it says nothing."""
    came = np.isfinite(volts)
    clock = MaskClock(expectation, take.begins_s)
    into = np.full(len(times_s), np.nan)
    into[came] = clock.into(times_s[came], volts[came])
    low, high = clock.mask.at(into)
    lowest = min(float(np.nanmin(volts)), float(clock.mask.low_v.min()))
    highest = max(float(np.nanmax(volts)), float(clock.mask.high_v.max()))
    low, high = np.where(np.isnan(low), lowest, low), np.where(np.isnan(high), highest, high)
    return _columns(low)[0], _columns(high)[1]


def _first_stretch(
    take: Take, name: str, reduced: bool, span_s: float
) -> tuple[FloatArray, FloatArray, FloatArray, float]:
    """(instants, captured volts, settled volts, half the band) of a take's beginning; NaN where
    nothing came."""
    stage = take.workspace.project.signal(name).later_filter
    each = rate_divisor(stage) if reduced and stage is not None else 1
    most = min(MOST_DRAWN, MOST_CALCULATED // each)
    parts: list[tuple[FloatArray, FloatArray, FloatArray]] = []
    half, count = 0.0, 0
    for block in compared_blocks(take, name, reduced):
        shown = block.samples
        parts.append(
            (shown.times_s, np.where(shown.valid, shown.volts, np.nan), block.expected.settled_v)
        )
        half, count = block.expected.half_width_v, count + len(shown.volts)
        if count >= most or shown.times_s[-1] > parts[0][0][0] + span_s:
            break
    times_s, volts, settled_v = (
        np.concatenate([part[number] for part in parts]) for number in range(3)
    )
    end = int(np.clip(np.searchsorted(times_s, times_s[0] + span_s), 2, most))
    return times_s[:end], volts[:end], settled_v[:end], half


def _twin_trace(take: Take, verdict: Verdict) -> TracePanel | None:
    if verdict.kind != "redundant-pair":
        return None
    signal = take.workspace.project.signal(verdict.signal)
    if signal.partner is None or verdict.high is None:
        return None
    if take.workspace.project.chain_of(signal.partner) is None:
        return None
    parts, count = [], 0
    for pairs in paired_blocks(take, signal.name, signal.partner):
        parts.append(pairs)
        count += len(pairs.difference_v)
        if count >= MOST_DRAWN:
            break
    if count < 2:
        return None
    low, high = _columns(np.concatenate([pairs.difference_v for pairs in parts])[:MOST_DRAWN])
    times, _ = _columns(np.concatenate([pairs.times_s for pairs in parts])[:MOST_DRAWN])
    limit = np.full(len(times), verdict.high)
    title = f"{signal.name} minus {signal.partner}"
    limits = difference_limits(verdict.expectation)
    return TracePanel(title, times, low, high, -limit, limit, (), limits=limits)


def _columns(values: FloatArray) -> tuple[FloatArray, FloatArray]:
    if len(values) <= COLUMNS:
        return values, values
    edges = np.linspace(0, len(values), COLUMNS + 1).astype(np.int64)[:-1]
    return np.fmin.reduceat(values, edges), np.fmax.reduceat(values, edges)


def _scatter(take: Take, chain: Chain, verdict: Verdict) -> ScatterPanel | None:
    if verdict.outcome != "fails":
        return None
    points = neighbour_points(take, chain, verdict.signal)
    if points is None or len(points[0]) < 16:
        return None
    place = chain.places_of(verdict.signal)[0]
    settling = slot_settling(take.workspace, chain, place)
    before = (place - 1) % len(chain.slots) + 1
    pick = np.unique(np.linspace(0, len(points[0]) - 1, POINTS).astype(np.int64))
    return ScatterPanel(
        f"Error against slot {before}, its neighbour",
        points[0][pick],
        points[1][pick],
        settling.carry,
        f"{settling.neighbour} minus what is due",
        "error",
        f"predicted: {format_percent(settling.carry)} is left",
    )


def _histogram(take: Take, chain: Chain, name: str) -> HistogramPanel:
    scale = signal_scale(take.workspace, chain, name)
    items, often, _volts = code_counts(take, name)
    codes = np.rint(scale.item_volts(items) / scale.lsb_v).astype(np.int64)
    low, high = int(codes.min()), int(codes.max()) + 1
    width = max(1, -(-(high - low) // 80))
    edges = np.arange(low, high + width, width, dtype=np.float64)
    counts, _ = np.histogram(codes, bins=edges, weights=often)
    title = f"Codes of {int(often.sum())} samples"
    return HistogramPanel(title, counts.astype(np.int64), edges)
