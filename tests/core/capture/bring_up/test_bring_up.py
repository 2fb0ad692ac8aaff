"""Steps of bringing a board up: each says what it saw, and when it is done."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from msgspec.structs import replace

from wattigram.core.capture.bring_up import (
    BringUpFacts,
    ClockCheck,
    LinkCheck,
    Step,
    bring_up_steps,
)
from wattigram.core.capture.session import Snapshot
from wattigram.core.capture.session.link_load import stream_bytes_hz
from wattigram.core.capture.session.wiring_check import WiringCheck
from wattigram.core.model.design import Workspace

PORT = "serial:/dev/ttyUSB0@921600"


def step(workspace: Workspace, key: str, facts: BringUpFacts) -> Step:
    return next(one for one in bring_up_steps(workspace, facts) if one.key == key)


def clock(ratio: float, seconds: float = 20.0, late_s: float = 0.01) -> ClockCheck:
    """A board that goes so fast, heard a little late now and then."""
    check = ClockCheck()
    rng = np.random.default_rng(3)
    for wall_s in np.arange(0.05, seconds, 0.05):
        check.look(wall_s * ratio, wall_s + float(rng.uniform(0, late_s)))
    return check


@pytest.mark.parametrize("ratio", [1.0, 1.00003, 0.5, 2.0, 0.98, 8 / 72])
@pytest.mark.parametrize("late_s", [0.0, 0.002, 0.05])
def test_the_clock_is_known_within_what_is_said(ratio: float, late_s: float) -> None:
    seen = clock(ratio, late_s=late_s).seen
    assert seen is not None
    assert abs(seen.ratio - ratio) <= seen.uncertainty + 1e-12
    assert seen.uncertainty <= 2.2 * late_s * max(ratio, 1.0) / seen.span_s + 1e-9


def test_a_clock_is_listened_to_for_a_while_and_anew_after_a_start() -> None:
    check = clock(1.0, 4.0)
    assert check.seen is None
    check = clock(1.0, 8.0)
    assert check.seen is not None
    check.look(0.1, 9.0)
    assert check.seen is None


@pytest.mark.parametrize(
    ("ratio", "part"),
    [(0.5, Fraction(1, 2)), (8 / 12, Fraction(2, 3)), (1.0002, None), (0.987, None)],
)
def test_a_wrong_divider_is_named(ratio: float, part: Fraction | None) -> None:
    seen = clock(ratio, late_s=0.001).seen
    assert seen is not None
    assert seen.fraction == part


def test_clock_steps(kiln: Workspace) -> None:
    runs = Snapshot(state="running", board="Marten M3", mark_matches=True, seconds=3.0)
    facts = BringUpFacts(address=PORT, snapshot=runs)
    assert step(kiln, "clock", facts).outcome == "goes on"
    good = step(kiln, "clock", replace(facts, clock=clock(1.00001, 60.0, 0.002)))
    assert good.outcome == "holds"
    assert "96" in good.said
    half = step(kiln, "clock", replace(facts, clock=clock(0.5)))
    assert half.outcome == "fails"
    assert "48" in half.said
    assert "1/2" in half.said
    assert "port.c" in half.cure
    vague = step(kiln, "clock", replace(facts, clock=clock(1.0, 8.0, 0.3)))
    assert vague.outcome == "goes on"
    ours = BringUpFacts(snapshot=runs, clock=clock(0.5))
    assert step(kiln, "clock", ours).outcome == "passed over"


def counted(wanted: float, lost: int = 0, skipped: int = 0) -> LinkCheck:
    check = LinkCheck()
    for tenth in range(1, 60):
        check.look(tenth / 10, round(wanted * tenth / 10), lost * (tenth > 30), skipped)
    return check


def test_link_steps(kiln: Workspace) -> None:
    wanted = stream_bytes_hz(kiln)
    runs = Snapshot(state="running", board="Marten M3", mark_matches=True)
    facts = BringUpFacts(address=PORT, snapshot=runs)
    assert step(kiln, "link", facts).outcome == "fails", "921600 baud carry less than is sent"
    assert "would lose" in step(kiln, "link", facts).said
    fast = replace(facts, address="serial:/dev/ttyUSB0@3000000")
    assert step(kiln, "link", fast).outcome == "goes on"
    whole = step(kiln, "link", replace(fast, link=counted(wanted * 1.01)))
    assert whole.outcome == "holds"
    assert "3000000 baud" in whole.said
    torn = step(kiln, "link", replace(fast, link=counted(wanted, lost=7)))
    assert torn.outcome == "fails"
    assert "7 scans were lost" in torn.said
    other = step(kiln, "link", replace(fast, link=counted(wanted / 3)))
    assert other.outcome == "fails"
    assert "another stream" in other.said
    skipped = counted(wanted, skipped=90)
    assert skipped.seen is not None
    assert skipped.seen.is_whole, "what came before it was counted is not of this run"


def test_identity_steps(kiln: Workspace) -> None:
    facts = BringUpFacts(address=PORT)
    assert step(kiln, "identity", facts).outcome == "waits"
    asked = replace(facts, snapshot=Snapshot(state="running"))
    assert step(kiln, "identity", asked).outcome == "goes on"
    silent = step(kiln, "identity", replace(asked, silent_s=5.0))
    assert silent.outcome == "fails"
    assert "for 5.0 s" in silent.said
    other = Snapshot(state="running", board="Marten M3", build_id="0badc0de", mark_matches=False)
    wrong = step(kiln, "identity", replace(facts, snapshot=other))
    assert wrong.outcome == "fails"
    assert "0badc0de" in wrong.said
    assert kiln.build_id in wrong.said
    gone = Snapshot(state="failed", message="The port is gone.")
    assert step(kiln, "identity", replace(facts, snapshot=gone)).said == "The port is gone."


def test_the_other_steps(kiln: Workspace) -> None:
    facts = BringUpFacts()
    keys = {one.key: one.outcome for one in bring_up_steps(kiln, facts)}
    assert keys == {
        "design": "holds",
        "firmware": "waits",
        "board": "waits",
        "identity": "waits",
        "clock": "passed over",
        "link": "waits",
        "wiring": "waits",
        "take": "waits",
        "proof": "waits",
    }
    assert step(kiln, "design", replace(facts, errors=("It floats",))).outcome == "fails"
    assert step(kiln, "firmware", replace(facts, build="old")).outcome == "waits"
    assert step(kiln, "firmware", replace(facts, build="built")).outcome == "holds"
    assert step(kiln, "board", replace(facts, address=PORT)).outcome == "holds"
    assert step(kiln, "proof", replace(facts, proof=(3, 1, 0))).outcome == "fails"
    assert step(kiln, "proof", replace(facts, proof=(3, 0, 1))).outcome == "holds"
    assert step(kiln, "proof", replace(facts, proof=(0, 0, 4))).outcome == "waits"
    check = WiringCheck(kiln)
    assert step(kiln, "wiring", replace(facts, wiring=check)).outcome == "goes on"
    while check.step is not None:
        check.skip()
    left = step(kiln, "wiring", replace(facts, wiring=check))
    assert left.outcome == "fails"
    assert "ground" in left.said
