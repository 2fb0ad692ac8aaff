"""Designs beside the examples: each with one thing changed."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

from tests.paths import EXAMPLE_FILES
from wattigram.core.base.errors import WattigramError
from wattigram.core.model.bench.sources import SOURCES, BoardSource
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import (
    Edit,
    RemoveWiring,
    SetBits,
    SetBufferLength,
    SetCalibration,
    SetDivider,
    SetElementWidth,
    SetFilter,
    SetIsrCost,
    SetPeriod,
    SetSampling,
    SetScaling,
    SetThreshold,
    SetWiring,
    apply_edit,
)
from wattigram.core.model.design.stage import BlockAverage, LowPassFilter, MovingAverage, SumFilter
from wattigram.core.predict.pins.input_pins import surroundings_of

TESTS = Path(__file__).parents[1]
VARIED = [
    path
    for path in EXAMPLE_FILES
    if path.stem.split(".")[0] in ("studio-kiln", "kiln-safety", "kiln-ramp", "wheel")
]
"""Examples that are changed: between them they have all that a design can have."""
CASES = [
    path
    for path in sorted((TESTS / "cases").rglob("*.wattigram.toml"))
    if path.parent.name in ("circuit", "program", "verdicts")
]
"""Designs that once came out wrong: they have what examples avoid."""
STAGES = (
    None,
    SumFilter(count=4, done_in="hardware"),
    BlockAverage(count=8, shift=3),
    MovingAverage(count=5, shift=2),
    LowPassFilter(shift=4),
)
THRESHOLDS = ({"consecutive": 3}, {"on": "crossing"}, {"action": "stop"}, {"hysteresis_v": 0.2})


def variations(workspace: Workspace) -> Iterator[tuple[str, Workspace]]:
    """One change to each chain, and to what is wired."""
    edits: list[Edit] = []
    for chain in workspace.project.chains:
        name = chain.converter
        edits += [
            SetSampling(name, 0, 3),
            SetBits(name, 8),
            SetPeriod(name, "3 us"),
            SetBufferLength(name, 7),
            SetIsrCost(name, 500_000),
            SetCalibration(name, False),
            SetElementWidth(name, 8),
            SetDivider(name, 1),
        ]
    edits += [RemoveWiring(wiring.pin) for wiring in workspace.project.bench[:4]]
    for signal in workspace.project.signals[:2]:
        edits += [SetScaling(signal.name, Fraction(2, 3))]
        edits += [SetFilter(signal.name, stage) for stage in STAGES]
        edits += [
            SetThreshold(signal.name, 0, threshold.replaced(**change))
            for threshold in signal.thresholds[:1]
            for change in THRESHOLDS
        ]
    wired = next(
        (
            wiring
            for wiring in workspace.project.bench
            if wiring.source.title and not isinstance(wiring.source, BoardSource)
        ),
        None,
    )
    if wired is not None:
        around = surroundings_of(workspace)
        edits += [
            SetWiring(wired.replaced(source=kind.fresh(around, 2e-3), capacitor_f=4.7e-9))
            for kind in SOURCES
            if kind.title and not {"pin", "project"} & set(kind.__struct_fields__)
        ]
    for number, edit in enumerate(edits):
        try:
            yield f"{number} {type(edit).__name__}", apply_edit(workspace, edit)
        except WattigramError:
            continue
