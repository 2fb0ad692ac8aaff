"""When unsteady converters begin their cycles."""

from __future__ import annotations

import numpy as np
import pytest

from wattigram.core.board.trigger_schedule import Starts, TriggerSchedule
from wattigram.core.contract.board_config import (
    EffectiveConverter,
    EffectiveLoop,
    EffectivePace,
    EffectiveSlot,
)


def slot(start: float, length: float = 100.0, after: float = 0.0, jitter: int = 0) -> EffectiveSlot:
    return EffectiveSlot(
        pin="A0",
        start_ticks=start,
        held_ticks=start + 40,
        end_ticks=start + length,
        after_ticks=after,
        jitter_ticks=jitter,
    )


def pace(slots: tuple[EffectiveSlot, ...] | None = None, **settings: object) -> TriggerSchedule:
    converter = EffectiveConverter(
        name="ADC",
        bits=12,
        lsb_v=1e-3,
        cycle_ticks=200,
        slots=slots or (slot(0), slot(100)),
        loop=EffectiveLoop(name="L", items=8, width_bits=16),
        pace=EffectivePace(**settings),  # type: ignore[arg-type]
    )
    return TriggerSchedule(converter, 0, 1)


def cycles(starts: Starts) -> np.ndarray:
    """When cycles begin."""
    return starts.ticks[starts.places == 0]


def test_self_paced_cycles_follow_each_other() -> None:
    found = pace(kind="self").advance(1000)
    assert found.ticks.tolist() == list(range(0, 1000, 100))
    assert found.places.tolist() == [0, 1] * 5


@pytest.mark.parametrize("step", [1, 37, 250])
def test_steps_do_not_change_the_course(step: int) -> None:
    jittery = (slot(0, after=10, jitter=7), slot(100, after=10, jitter=7))
    whole = pace(jittery, kind="self").advance(5000)
    piecewise = pace(jittery, kind="self")
    parts = [piecewise.advance(float(until)) for until in range(step, 5000, step)] + [
        piecewise.advance(5000)
    ]
    assert np.array_equal(np.concatenate([part.ticks for part in parts]), whole.ticks)
    assert np.array_equal(np.concatenate([part.places for part in parts]), whole.places)
    steps = np.diff(cycles(whole))
    assert steps.min() >= 220
    assert steps.max() <= 234


def test_a_pattern_is_served_when_the_converter_is_free() -> None:
    one = pace(kind="pattern", period_ticks=500, offsets_ticks=(0, 150, 300))
    assert cycles(one.advance(1000)).tolist() == [0, 300, 500, 800]
    assert (one.triggers, one.missed) == (6, 2)


def test_a_trigger_for_each_slot() -> None:
    one = pace(kind="pattern", period_ticks=150, offsets_ticks=(0,), singly=True)
    assert one.advance(400).ticks.tolist() == [0, 150, 300]
    assert one.cycles == 1
    rest = one.advance(800)
    assert rest.ticks.tolist() == [450, 600, 750]
    assert rest.places.tolist() == [1, 0, 1]
    assert (one.cycles, one.triggers) == (3, 6)


def test_once_is_once_and_never_is_never() -> None:
    one = pace(kind="once")
    assert one.advance(1000).ticks.tolist() == [0, 100]
    assert len(one.advance(9000)) == 0
    assert pace(kind="once", singly=True).advance(1000).ticks.tolist() == [0]
    assert len(pace(kind="never").advance(9000)) == 0
    assert len(pace(kind="self", skip_first=True).advance(9000)) == 0


def test_the_first_trigger_finds_a_converter_that_is_off() -> None:
    one = pace(kind="pattern", period_ticks=500, offsets_ticks=(0,), skip_first=True)
    assert cycles(one.advance(1100)).tolist() == [500, 1000]


def test_events_start_cycles_in_their_order() -> None:
    one = pace(kind="events")
    for ticks in (100, 150, 1000):
        one.trigger_at(ticks)
    assert cycles(one.advance(2000)).tolist() == [100, 1000]
    assert one.missed == 1


def test_a_stopped_chain_goes_on_when_it_is_armed_again() -> None:
    one = pace(kind="pattern", period_ticks=300, offsets_ticks=(0,))
    assert cycles(one.advance(600)).tolist() == [0, 300]
    one.pause(600, 1000)
    assert cycles(one.advance(1600)).tolist() == [1200, 1500]
    one.pause(1600, None)
    assert len(one.advance(9000)) == 0
