"""Designs beside the examples: each with one thing changed."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.base.errors import WattigramError
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import (
    Edit,
    RemoveWiring,
    SetBits,
    SetBufferLength,
    SetCalibration,
    SetDivider,
    SetElementWidth,
    SetIsrCost,
    SetPeriod,
    SetSampling,
    apply_edit,
)


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
    for number, edit in enumerate(edits):
        try:
            yield f"{number} {type(edit).__name__}", apply_edit(workspace, edit)
        except WattigramError:
            continue
