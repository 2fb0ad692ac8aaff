"""Captured less expected: against sums over all of a take at once, and as something that must hold."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording import Recording, recording_of_take
from wattigram.core.capture.recording.channel import EvenChannel
from wattigram.core.capture.take import Take
from wattigram.core.judge import prove
from wattigram.core.judge.compared_streams import compared
from wattigram.core.judge.measured import KINDS, Measured, Wanted, beside_expected, measure
from wattigram.core.model.design import FigureExpectation, Workspace
from wattigram.core.model.design.edits import AddExpectation, apply_edit


def expected_of(take: Take, name: str, *stretch: float) -> Measured:
    return measure(recording_of_take(take), Wanted("expected", (name,), *stretch))


@pytest.mark.parametrize("name", ["Coil current", "Door latch", "3.3 V rail", "Upper zone"])
@pytest.mark.parametrize("block", [1 << 16, 977])
def test_figures_are_those_of_all_samples_at_once(
    name: str,
    block: int,
    kiln: Workspace,
    take_of: Callable[..., Take],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(beside_expected, "BLOCK", block)
    take = take_of(kiln)
    told = expected_of(take, name)
    chain = kiln.project.chain_of(name)
    assert chain is not None
    both = compared(take, chain, name, 0, take.raw_count(name))
    assert both is not None
    apart, half = both.error_v, both.expected.half_width_v
    inside = np.abs(apart) <= half
    value = {figure.key: figure.value for figure in told.figures}
    assert value["inside"] == pytest.approx(100 * inside.mean())
    assert value["outside"] == (~inside).sum()
    assert value["farthest"] == pytest.approx(max(0.0, (np.abs(apart) - half).max()))
    assert value["mean-apart"] == pytest.approx(apart.mean(), rel=1e-6, abs=1e-12)
    assert value["rms-apart"] == pytest.approx(np.sqrt((apart**2).mean()))
    assert told.samples == len(apart)
    # Nothing that is far is lost between the points of the curve.
    curve = np.array(told.curve["difference"])
    assert len(curve) <= beside_expected.CURVE_POINTS
    assert np.abs(curve).max() == pytest.approx(np.abs(apart).max())
    assert np.isin(np.round(curve, 12), np.round(apart, 12)).all()
    assert np.all(np.diff(told.curve["at_s"]) > 0)
    assert set(told.curve["band"]) == {half}


def test_what_does_not_settle_is_predicted_to_lie_outside(
    kiln: Workspace, cured: Workspace, take_of: Callable[..., Take]
) -> None:
    latch = expected_of(take_of(kiln), "Door latch").figure("inside")
    assert (latch.value, latch.predicted) == (0.0, pytest.approx(0.0))
    mended = expected_of(take_of(cured), "Door latch").figure("inside")
    assert mended.value > 99.9
    assert mended.predicted == pytest.approx(100, abs=0.1)
    # That none of so many lay outside does not tell that none ever will.
    assert 0 < 2 * mended.sigma < 0.1


def test_the_share_inside_must_hold(
    kiln: Workspace, cured: Workspace, take_of: Callable[..., Take]
) -> None:
    must = FigureExpectation(
        signal="Door latch", measure="expected", figure="inside", at_least=99.0
    )
    for workspace, outcome in ((kiln, "fails"), (cured, "holds")):
        judged = apply_edit(workspace, AddExpectation(must))
        verdict = prove(judged, take_of(workspace)).verdicts[-1]
        assert verdict.outcome == outcome, verdict.note
        assert verdict.unit == "%"


def test_of_what_nothing_is_expected_it_says_so(kiln: Workspace) -> None:
    channel = EvenChannel("a", "V", 100, 1000.0, lambda begin, end: np.zeros(end - begin))
    with pytest.raises(TakeError, match="no design"):
        measure(Recording("a", "made", (channel,)), Wanted("expected", ("a",)))


class EnoughError(Exception):
    """Nobody waits for it any more."""


@pytest.mark.parametrize("kind", [kind.name for kind in KINDS])
def test_what_nobody_waits_for_is_ended(
    kind: str, kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    """Every kind that reads samples tells how far it is, and ends where that raises."""
    names = ("Coil current", "Upper zone")[
        : next(one.channels for one in KINDS if one.name == kind)
    ]

    def enough(share: float) -> None:
        assert 0 <= share <= 1
        raise EnoughError

    recording = recording_of_take(take_of(kiln))
    if kind == "events":
        with pytest.raises(
            TakeError
        ):  # of this signal there are none, and no samples are read for it
            measure(recording, Wanted(kind, names), enough)
        return
    with pytest.raises(EnoughError):
        measure(recording, Wanted(kind, names), enough)
