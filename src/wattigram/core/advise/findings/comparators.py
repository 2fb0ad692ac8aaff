"""Rules on comparators."""

from __future__ import annotations

import math
from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.base.quantity import format_volts
from wattigram.core.model.bench import ShapeSource
from wattigram.core.model.design import Comparator, Workspace
from wattigram.core.model.design.edits import SetComparator
from wattigram.core.predict.accuracy import ComparatorMetrics, comparator_metrics
from wattigram.core.predict.pins import input_source

CHATTER_EDGES = 1.2


@rule("comparator-chatters", cell="thresholds")
def comparator_chatters(workspace: Workspace) -> Iterator[Finding]:
    """Dozens of edges at one crossing."""
    for comparator in workspace.project.comparators:
        figures = comparator_metrics(workspace, comparator)
        if figures.edges <= CHATTER_EDGES:
            continue
        part = workspace.part.comparator(comparator.name)
        assert part is not None
        enough = [
            volts
            for volts in sorted(part.hysteresis_v)
            if volts > comparator.hysteresis_v
            and _is_clean(workspace, comparator.replaced(hysteresis_v=volts))
        ]
        yield Finding(
            "comparator-chatters",
            "error",
            comparator.name,
            f"{comparator.name} chatters",
            f"{_reason(workspace, figures)} makes about {figures.edges_text} edges of each "
            "crossing, with "
            f"{format_volts(comparator.hysteresis_v)} of hysteresis.",
            SetComparator(comparator.replaced(hysteresis_v=enough[0])) if enough else None,
            signal=comparator.signal,
        )


def _is_clean(workspace: Workspace, comparator: Comparator) -> bool:
    return comparator_metrics(workspace, comparator).edges <= CHATTER_EDGES


def _reason(workspace: Workspace, figures: ComparatorMetrics) -> str:
    source = input_source(workspace, workspace.project.signal(figures.signal).pin)
    hum_v = sum(sine[0] for sine in source.sines) if isinstance(source, ShapeSource) else 0.0
    noise = f"Noise of {format_volts(figures.noise_v)} rms"
    if hum_v:
        noise += f" and {format_volts(hum_v)} of mains hum"
    if math.isfinite(figures.slope_v_s) and not isinstance(source, ShapeSource):
        noise += f" on a slope of {figures.slope_v_s:.3g} V/s"
    return noise


@rule("comparator-never-trips", cell="thresholds")
def comparator_never_trips(workspace: Workspace) -> Iterator[Finding]:
    """Its output never changes."""
    for comparator in workspace.project.comparators:
        figures = comparator_metrics(workspace, comparator)
        if figures.crossings_hz == 0:
            yield Finding(
                "comparator-never-trips",
                "note",
                comparator.name,
                f"{comparator.name} never trips on this bench",
                f"What is wired to {comparator.signal} never crosses "
                f"{format_volts(figures.threshold_v)}, "
                f"nor does noise of {format_volts(figures.noise_v)} rms more than once a day.",
                signal=comparator.signal,
            )


@rule("comparator-threshold", cell="thresholds")
def threshold_not_exact(workspace: Workspace) -> Iterator[Finding]:
    """It trips somewhat beside the voltage that was meant."""
    for comparator in workspace.project.comparators:
        figures = comparator_metrics(workspace, comparator)
        off_v = figures.threshold_v - comparator.threshold_v
        if comparator.against == "internal" and abs(off_v) > 1e-4:
            yield Finding(
                "comparator-threshold",
                "note",
                comparator.name,
                f"{comparator.name} cannot be set to just that",
                f"Its steps are {format_volts(figures.step_v)}: "
                f"{format_volts(figures.threshold_v)} instead of "
                f"{format_volts(comparator.threshold_v)}.",
                SetComparator(comparator.replaced(threshold_v=round(figures.threshold_v, 9))),
                signal=comparator.signal,
            )
