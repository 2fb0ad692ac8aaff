"""Rules on comparators."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.accuracy import comparator_figures, expected_edges
from wattigram.core.design import Workspace
from wattigram.core.design.edits import SetComparator
from wattigram.core.findings.finding import Finding, rule
from wattigram.core.quantity import show_volts

CHATTER_EDGES = 1.2


@rule
def comparator_chatters(workspace: Workspace) -> Iterator[Finding]:
    """Dozens of edges at one crossing."""
    for comparator in workspace.project.comparators:
        figures = comparator_figures(workspace, comparator)
        if figures.edges <= CHATTER_EDGES:
            continue
        part = workspace.part.comparator(comparator.name)
        assert part is not None
        response_s = float(part.response_s)
        enough = [
            volts
            for volts in sorted(part.hysteresis_v)
            if volts > comparator.hysteresis_v
            and expected_edges(figures.slope_v_s, figures.noise_v, volts, response_s) <= CHATTER_EDGES
        ]
        yield Finding(
            "comparator-chatters",
            "error",
            comparator.name,
            f"{comparator.name} chatters",
            f"Noise of {show_volts(figures.noise_v)} rms on a slope of {figures.slope_v_s:.3g} V/s makes about "
            f"{figures.edges:.0f} edges of each crossing, with {show_volts(comparator.hysteresis_v)} of hysteresis.",
            SetComparator(comparator.changed(hysteresis_v=enough[0])) if enough else None,
            signal=comparator.signal,
        )


@rule
def comparator_never_trips(workspace: Workspace) -> Iterator[Finding]:
    """Its output never changes."""
    for comparator in workspace.project.comparators:
        figures = comparator_figures(workspace, comparator)
        if figures.crossings_hz == 0:
            yield Finding(
                "comparator-never-trips",
                "note",
                comparator.name,
                f"{comparator.name} never trips on this bench",
                f"What is wired to {comparator.signal} never crosses {show_volts(figures.threshold_v)}.",
                signal=comparator.signal,
            )


@rule
def threshold_not_exact(workspace: Workspace) -> Iterator[Finding]:
    """It trips somewhat beside the voltage that was meant."""
    for comparator in workspace.project.comparators:
        figures = comparator_figures(workspace, comparator)
        off_v = figures.threshold_v - comparator.threshold_v
        if comparator.against == "internal" and abs(off_v) > 1e-4:
            yield Finding(
                "comparator-threshold",
                "note",
                comparator.name,
                f"{comparator.name} cannot be set to just that",
                f"Its steps are {show_volts(figures.step_v)}: {show_volts(figures.threshold_v)} instead of "
                f"{show_volts(comparator.threshold_v)}.",
                SetComparator(comparator.changed(threshold_v=round(figures.threshold_v, 9))),
                signal=comparator.signal,
            )
