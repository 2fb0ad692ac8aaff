from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.conftest import edited
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove, suggest_expectations
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import RemoveSlot


def bare(workspace: Workspace) -> Workspace:
    """The same design with nothing expected of it."""
    return Workspace(workspace.project.replaced(expectations=()), workspace.part)


@pytest.mark.parametrize(
    ("signal", "kinds"),
    [
        ("Coil current", ["sine", "rate"]),
        ("Upper zone", ["waveform", "threshold", "rate"]),
        ("Door latch", ["square", "rate"]),
        ("3.3 V rail", ["level", "noise", "rate"]),
        ("Upper zone, twin", ["waveform", "redundant-pair", "rate"]),
    ],
)
def test_each_source_and_stage_has_its_expectations(
    cured: Workspace, signal: str, kinds: list[str]
) -> None:
    assert [item.kind for item in suggest_expectations(bare(cured), signal)] == kinds


def test_what_is_suggested_holds_of_a_sound_design(
    cured: Workspace, take_of: Callable[..., Take]
) -> None:
    empty = bare(cured)
    found = [
        item
        for signal in empty.project.signals
        for item in suggest_expectations(empty, signal.name)
    ]
    judged = Workspace(empty.project.replaced(expectations=tuple(found)), empty.part)
    proof = prove(judged, take_of(cured))
    assert [
        (verdict.text, verdict.note) for verdict in proof.verdicts if verdict.outcome != "holds"
    ] == []
    assert len(proof.verdicts) >= len(found)


def test_what_is_suggested_fails_of_an_unsound_one(
    kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    empty = bare(kiln)
    judged = Workspace(
        empty.project.replaced(expectations=suggest_expectations(empty, "Door latch")), empty.part
    )
    outcomes = {verdict.kind: verdict.outcome for verdict in prove(judged, take_of(kiln)).verdicts}
    assert outcomes == {"square": "fails", "rate": "holds"}


def test_nothing_is_suggested_twice_or_without_a_slot(cured: Workspace) -> None:
    assert [item.kind for item in suggest_expectations(cured, "Coil current")] == []
    assert suggest_expectations(edited(bare(cured), RemoveSlot("ADC 1", 0)), "Coil current") == ()
