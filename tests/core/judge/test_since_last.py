"""What has changed from one proof to the next."""

from __future__ import annotations

from collections.abc import Callable

from wattigram.core.capture.take import Take
from wattigram.core.judge import prove
from wattigram.core.judge.since_last import changes
from wattigram.core.model.design import LevelExpectation, SineExpectation, Workspace

TakeOf = Callable[..., Take]


def test_each_verdict_is_held_beside_what_it_was(
    kiln: Workspace, cured: Workspace, take_of: TakeOf
) -> None:
    before, now = prove(kiln, take_of(kiln)).verdicts, prove(cured, take_of(cured)).verdicts
    found = changes(before, now)
    assert set(found) == set(range(len(now)))
    turned = {now[place].text: one.text for place, one in found.items() if one.is_turned}
    assert len(turned) == 1
    ((text, was),) = turned.items()
    assert text.startswith("Door latch steps")
    assert was.startswith("fails, 0.5")
    for place, one in found.items():
        assert one.now == now[place]
        assert one.before.signal == one.now.signal


def test_moved_limits_are_the_same_thing_and_a_new_one_was_not_there(
    kiln: Workspace, take_of: TakeOf
) -> None:
    rail = next(one for one in kiln.project.expectations if isinstance(one, LevelExpectation))
    others = tuple(one for one in kiln.project.expectations if one is not rail)
    tight = kiln.with_project(
        kiln.project.replaced(expectations=(rail.replaced(level_v=1.0), *others[:1]))
    )
    less = kiln.with_project(kiln.project.replaced(expectations=(rail,)))
    found = changes(prove(less, take_of(kiln)).verdicts, prove(tight, take_of(kiln)).verdicts)
    assert set(found) == {0}
    assert found[0].is_turned
    assert found[0].text.startswith("holds, 3.3")


def test_figures_of_a_sine_are_each_held_beside_themselves(
    kiln: Workspace, take_of: TakeOf
) -> None:
    """Without its frequency, the rms is held beside the rms."""
    sine = next(one for one in kiln.project.expectations if isinstance(one, SineExpectation))
    both = sine.replaced(frequency_hz="50 Hz", rms_v="0.53 V")
    whole, less = (
        prove(kiln.with_project(kiln.project.replaced(expectations=(one,))), take_of(kiln)).verdicts
        for one in (both, both.replaced(frequency_hz=None))
    )
    assert len(whole) == len(less) + 1
    for one in changes(whole, less).values():
        assert one.before.text == one.now.text
    assert len(changes(whole, less)) == len(less)
