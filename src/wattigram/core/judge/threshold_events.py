"""Events of windows, twins and comparators, as they came and as they were due."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.take import Take
from wattigram.core.model.design import Watch, Workspace
from wattigram.core.predict.accuracy import comparator_metrics
from wattigram.core.predict.expected import ExpectedEvent, expected_events


class Crossings(msgspec.Struct, frozen=True):
    """What one watch should have told, and what it told: (seconds, condition begins)."""

    watch: Watch
    wanted: tuple[ExpectedEvent, ...]
    came: tuple[tuple[float, bool], ...]
    begin_s: float
    end_s: float


def signal_watches(take: Take, signal: str, kind: str) -> list[Watch]:
    """Watches of one kind on a signal."""
    return [
        watch for watch in take.workspace.watches if watch.signal == signal and watch.kind == kind
    ]


def crossings(
    take: Take, watch: Watch, limits_v: tuple[float, float] | None = None, off_v: float = 0.0
) -> Crossings:
    """Due and captured events of a window or twin; ``limits_v`` are those of the job where it says
    them.

    Due are those of readings that lie ``off_v`` above what is predicted. What is due supposes that
    the watch is
    enabled and armed again, with its limits in order: that is what was meant.
    """
    project = take.workspace.project
    chain = project.chain_of(watch.signal)
    assert chain is not None
    cycles = take.chain_cycles(chain)
    number = take.workspace.watches.index(watch)
    mine = take.events[take.events["source"] == number]
    came = tuple((int(row["ticks"]) / take.tick_hz, bool(row["entered"])) for row in mine)
    meant = tuple(
        (ticks, _as_meant(workspace, watch, limits_v)) for ticks, workspace in take.history
    )
    wanted = expected_events(meant, watch, take.chain_cycles, take.instants, off_v)
    end_s = (
        float(take.instants(chain, cycles - 1, cycles).held_s(cycles - 1, cycles)[0, -1])
        if cycles
        else 0.0
    )
    begin_s = take.begins_s
    if begin_s:
        wanted = tuple(event for event in wanted if event.time_s >= begin_s)
    return Crossings(watch, wanted, came, begin_s, end_s)


def _as_meant(
    workspace: Workspace, watch: Watch, limits_v: tuple[float, float] | None
) -> Workspace:
    """The design with the watch as it was meant."""
    if watch.kind != "window":
        return workspace
    project = workspace.project
    signal = project.signal(watch.signal)
    window = signal.thresholds[watch.index]
    low, high = limits_v if limits_v is not None else (window.low, window.high)
    if all(window.compares) and type(low) is type(high) and low > high:
        low, high = high, low
    fixed = window.replaced(interrupt_enabled=True, rearm=True, low=low, high=high)
    windows = tuple(
        fixed if index == watch.index else one for index, one in enumerate(signal.thresholds)
    )
    signals = tuple(
        one.replaced(thresholds=windows) if one.name == signal.name else one
        for one in project.signals
    )
    return workspace.with_project(project.replaced(signals=signals))


class Edges(msgspec.Struct, frozen=True):
    """Edges of a comparator, gathered by crossing.

    Attributes
    ----------
    crossings : int, due in the take without noise
    edges : int, that came
    most : int, at one crossing
    """

    comparator: str
    crossings: int
    edges: int
    most: int
    predicted: float


def comparator_edges(take: Take, watch: Watch) -> Edges:
    """How often a comparator gave an edge at each crossing.

    Edges are of one crossing while they are nearer to each other than a quarter of the time from
    crossing to crossing.
    """
    comparator = take.workspace.project.comparator(watch.comparator)
    assert comparator is not None
    figures = comparator_metrics(take.workspace, comparator)
    number = take.workspace.watches.index(watch)
    times_s: NDArray[np.float64] = np.sort(
        take.events["ticks"][take.events["source"] == number] / take.tick_hz
    )
    due = int(figures.crossings_hz * take.span_s)
    if not len(times_s) or figures.crossings_hz == 0:
        return Edges(comparator.name, due, len(times_s), 0, figures.edges)
    gap_s = 0.25 / figures.crossings_hz
    groups = np.split(times_s, np.flatnonzero(np.diff(times_s) > gap_s) + 1)
    return Edges(
        comparator.name, due, len(times_s), max(len(group) for group in groups), figures.edges
    )
