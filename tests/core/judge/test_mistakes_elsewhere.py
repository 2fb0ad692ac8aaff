"""Mistakes that only other parts let one make: channel order, hardware windows, FIFOs, software in
the path."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove
from wattigram.core.model.bench import SineSource, SquareSource, Wiring
from wattigram.core.model.design import (
    FreeRunningTrigger,
    NoiseExpectation,
    Reader,
    RedundantPair,
    SoftwareTrigger,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import (
    AddExpectation,
    Edit,
    MoveSlot,
    RemoveSlot,
    SetClock,
    SetIsrCost,
    SetPeriod,
    SetReader,
    SetRedundantPair,
    SetSamplings,
    SetStartup,
    SetThreshold,
    SetTrigger,
    SetWiring,
    apply_edit,
)

WEAK = Wiring(
    pin="C3",
    source_resistance_ohm=390e3,
    source=SineSource(offset_v=1.8, amplitude_v=0.6, frequency_hz="3 Hz", noise_v=0.001),
)
CALM = NoiseExpectation(signal="Motor current", rms_v=0.03)
HARD = ("calibrate", "memory", "interrupt", "converter", "trigger")
CASES: list[tuple[str, str, tuple[Edit, ...], str, float]] = [
    (
        "slots against the channel order",
        "kiln-safety",
        (MoveSlot("ADC 1", 0, 2),),
        "slot-order",
        2.5,
    ),
    (
        "hardware threshold not armed",
        "kiln-safety",
        (SetStartup("ADC 1", HARD),),
        "startup-window",
        4.5,
    ),  # type: ignore[arg-type]
    ("FIFO overflows", "kiln-safety", (SetIsrCost("ADC 2", 700_000),), "handler-too-slow", 1.0),
    (
        "pair trips for nothing",
        "kiln-safety",
        (
            SetRedundantPair(
                "Upper zone, twin", RedundantPair(paired_with="Upper zone", tolerance_v=0.002)
            ),
        ),
        "twin-too-tight",
        2.5,
    ),
    (
        "one slot for two signals",
        "kiln-safety",
        (RemoveSlot("ADC 1", 1),),
        "signal-not-converted",
        1.0,
    ),
    (
        "program slower than its timer",
        "wheel-pedal",
        (SetIsrCost("ADC", 20_000),),
        "trigger-too-short",
        2.5,
    ),
    (
        "clocked too fast",
        "wheel-pedal",
        (SetClock("ADC", "bus", 2), AddExpectation(CALM)),
        "clock-too-fast",
        2.5,
    ),
    (
        "clocked too slowly",
        "wheel-pedal",
        (SetPeriod("ADC", "10 ms"), SetClock("ADC", "internal", 64)),
        "clock-too-slow",
        2.5,
    ),
    (
        "weak source sampled shortly",
        "wheel-pedal",
        (SetWiring(WEAK), SetSamplings("ADC", 2)),
        "sampling-too-short",
        2.5,
    ),
    (
        "rate of an oscillator that is off",
        "wheel-pedal",
        (SetTrigger("ADC", FreeRunningTrigger()), SetClock("ADC", "internal", 16)),
        "oscillator-spread",
        2.5,
    ),
    (
        "started once",
        "wheel-pedal",
        (SetTrigger("ADC", SoftwareTrigger(repeat=False)),),
        "started-once",
        1.0,
    ),
    (
        "bytes exchanged",
        "wheel-pedal",
        (SetReader("ADC", Reader(endianness="big")),),
        "byte-order-read",
        2.5,
    ),
]


@pytest.mark.parametrize(
    ("example", "edits", "code", "seconds"),
    [case[1:] for case in CASES],
    ids=[case[0] for case in CASES],
)
def test_a_mistake_is_found_seen_named_and_cured(
    take_of: Callable[..., Take], example: str, edits: tuple[Edit, ...], code: str, seconds: float
) -> None:
    base = open_workspace(EXAMPLES / example)
    wrong = edited(base, *edits)
    found = [finding for finding in find_all(wrong) if finding.code == code]
    assert found, [finding.code for finding in find_all(wrong)]
    proof = prove(wrong, take_of(wrong, seconds))
    assert not proof.all_hold or proof.count("open")
    causes = [(cause.cause, round(cause.fit, 2)) for cause in proof.causes]
    assert code in [name for name, _fit in causes], causes
    named = next(cause for cause in proof.causes if cause.cause == code)
    assert named is proof.causes[0] or named.fit >= proof.causes[0].fit - 0.02, causes
    remedy = named.remedy or found[0].remedy
    if remedy is not None:
        cured = apply_edit(wrong, remedy)
        again = prove(cured, take_of(cured, seconds))
        assert code not in [cause.cause for cause in again.causes]


@pytest.mark.parametrize(
    ("rearm_after", "code"), [("200 ms", "chain-stops-a-while"), (None, "chain-stays-stopped")]
)
def test_a_chain_that_its_window_stopped_is_told_from_one_that_is_slow(
    take_of: Callable[..., Take], rearm_after: str | None, code: str
) -> None:
    base = open_workspace(EXAMPLES / "wheel-pedal")
    zone = (
        base.project.signal("Pedal")
        .thresholds[0]
        .replaced(action="stop", rearm_after_s=rearm_after)
    )
    proof = prove(
        edited(base, SetThreshold("Pedal", 0, zone)),
        take_of(edited(base, SetThreshold("Pedal", 0, zone)), 4.0),
    )
    failing = [verdict.kind for verdict in proof.verdicts if verdict.outcome == "fails"]
    assert failing.count("rate") == (rearm_after is None)  # where it goes on, pauses are intended
    assert (proof.causes[0].cause, proof.causes[0].converter) == (code, "ADC")
    assert proof.causes[0].fit > 0.95
    assert (proof.causes[0].remedy is None) == (rearm_after is not None)


def test_nothing_is_named_where_nothing_fits(take_of: Callable[..., Take], tmp_path: Path) -> None:
    """The bench is another one than described: no mistake of the design looks like that."""
    from wattigram.core.capture.session import BoardProcess, record_run
    from wattigram.core.model.design import project_text
    from wattigram.core.silicon.deploy import effective_bench, effective_config

    base = open_workspace(EXAMPLES / "flame-watch")
    other = edited(
        base,
        SetWiring(
            Wiring(
                pin="B0",
                source_resistance_ohm=50.0,
                source=SquareSource(low_v=0.3, high_v=1.2, period_s="730 ms"),
            )
        ),
    )
    config = effective_config(base).unchecked(bench=effective_bench(other))
    assert project_text(base.project)
    with BoardProcess(config) as board:
        record_run(base, 2.0, tmp_path / "t.h5", board=board.address, fast=True)
    from wattigram.core.capture.take import open_take

    with open_take(tmp_path / "t.h5") as take:
        proof = prove(base, take)
    assert proof.count("fails") > 0
    assert proof.causes == ()


def test_a_take_of_a_sound_design_names_nothing(take_of: Callable[..., Take]) -> None:
    workspace: Workspace = open_workspace(EXAMPLES / "kiln-safety")
    assert prove(workspace, take_of(workspace, 3.2)).causes == ()
