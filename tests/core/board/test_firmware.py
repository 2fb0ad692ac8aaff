from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wattigram.core.board.event_detection import ThresholdDetector
from wattigram.core.board.processing import NOTHING, Tap, Values
from wattigram.core.contract.board_config import EffectiveTap, EffectiveWatch


def tap(slots: int = 2, items: int = 8, **settings: object) -> Tap:
    return Tap(EffectiveTap(name="x", converter=0, places=(1,), **settings), slots, items)  # type: ignore[arg-type]


def interleaved(values: list[int]) -> np.ndarray:
    """Items in which slot 1 has the values and slot 0 has noise."""
    return np.column_stack((np.full(len(values), 4000), values)).ravel().astype(np.uint16)


def held(first: int, count: int) -> np.ndarray:
    numbers = np.arange(first, first + count)
    return numbers // 2 * 100 + np.where(numbers % 2, 30, 10)


def reduced_by(stage: Tap, values: list[int], halves: list[int]) -> tuple[list[int], list[int]]:
    """Values and ticks that a stage gives when its items come in pieces."""
    items, position = interleaved(values), 0
    found: list[int] = []
    ticks: list[int] = []
    for size in halves:
        _raw, reduced = stage.feed(
            items[position : position + size], position, held(position, size)
        )
        found += reduced.values.tolist()
        ticks += reduced.ticks.tolist()
        position += size
    return found, ticks


VALUES = [100, 101, 102, 103, 200, 200, 200, 204]
PIECES = [[16], [4, 4, 8], [1] * 16, [3, 5, 7, 1]]


@pytest.mark.parametrize("halves", PIECES)
def test_a_mean_takes_its_samples_across_halves(halves: list[int]) -> None:
    found, ticks = reduced_by(tap(stage="block-average", count=4, shift=2), VALUES, halves)
    assert found == [sum(VALUES[:4]) >> 2, sum(VALUES[4:]) >> 2]
    assert ticks == [3 * 100 + 30, 7 * 100 + 30]


@pytest.mark.parametrize("halves", PIECES)
def test_a_running_mean_gives_one_value_a_sample(halves: list[int]) -> None:
    found, ticks = reduced_by(tap(stage="moving-average", count=4, shift=2), VALUES, halves)
    padded = [0, 0, 0, *VALUES]
    assert found == [sum(padded[at : at + 4]) >> 2 for at in range(8)]
    assert ticks == [at * 100 + 30 for at in range(8)]


@pytest.mark.parametrize("halves", PIECES)
def test_a_low_pass_keeps_its_fraction(halves: list[int]) -> None:
    found, _ticks = reduced_by(tap(stage="low-pass", shift=2), VALUES, halves)
    state, wanted = VALUES[0] << 2, [VALUES[0]]
    for value in VALUES[1:]:
        state += value - (state >> 2)
        wanted.append(state >> 2)
    assert found == wanted


def test_a_sum_is_not_shifted_and_a_narrow_register_overflows() -> None:
    assert reduced_by(tap(stage="sum", count=4), [2000] * 4, [8])[0] == [8000]
    assert reduced_by(
        tap(stage="block-average", count=4, shift=2, register_bits=12), [2000] * 4, [8]
    )[0] == [(8000 & 0xFFF) >> 2]


def test_a_loop_out_of_step_feeds_the_wrong_places() -> None:
    stage = tap(items=7, stage="block-average", count=2, shift=1)
    items = np.tile(np.array([10, 20], dtype=np.uint16), 14)
    _raw, reduced = stage.feed(items, 0, held(0, len(items)))
    assert reduced.values[0] == 20
    assert 10 in reduced.values.tolist()


def test_differences_keep_their_sign() -> None:
    stage = tap(stage="block-average", count=2, shift=1, signed_bits=16)
    raw, reduced = stage.feed(interleaved([0xFFFE, 0xFFFC]), 0, held(0, 4))
    assert raw.values.tolist() == [-2, -4]
    assert reduced.values.tolist() == [-3]


def values(*numbers: int) -> Values:
    return Values(np.array(numbers, dtype=np.int64), np.arange(len(numbers), dtype=np.int64) * 100)


def watcher(**settings: object) -> ThresholdDetector:
    known = {
        "tap": 0,
        "low": 1000,
        "high": 2000,
        "hysteresis": 10,
        "condition": "outside",
    } | settings
    return ThresholdDetector(EffectiveWatch(**known), 0)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("condition", "expected"),
    [
        ("above", [(2, True), (4, False)]),
        ("below", [(5, True)]),
        ("outside", [(2, True), (4, False), (5, True)]),
        ("inside", [(0, True), (2, False), (3, True), (5, False)]),
    ],
)
def test_windows_compare_as_integers_do(condition: str, expected: list[tuple[int, bool]]) -> None:
    numbers = [1500, 2000, 2011, 1995, 1980, 980, 995]
    events = watcher(condition=condition).feed(values(*numbers))
    assert [(event.at, event.entered) for event in events] == expected
    assert all(event.value == numbers[event.at] for event in events)


def test_so_many_in_a_row_before_it_counts() -> None:
    watch = watcher(condition="above", times=3)
    assert watch.feed(values(2100, 2100, 1900, 2100, 2100)) == []
    assert [event.at for event in watch.feed(values(2100, 2100))] == [0]


def test_every_value_is_told_where_that_is_wanted() -> None:
    events = watcher(condition="above", every=True).feed(values(2100, 2100, 2100, 1500, 2100))
    assert [(event.at, event.entered) for event in events] == [
        (0, True),
        (1, True),
        (2, True),
        (3, False),
        (4, True),
    ]


def test_a_window_that_nobody_arms_again_tells_once() -> None:
    events = watcher(condition="above", once=True).feed(values(2100, 1500, 2100))
    assert [event.at for event in events] == [0]
    assert watcher(armed=False).feed(values(5000)) == []


def test_a_twin_is_compared_pair_by_pair_whoever_comes_first() -> None:
    watch = watcher(low=-5, high=5, hysteresis=0, other=1, reach_ticks=100)
    assert watch.feed(values(100, 100, 100)) == []
    events = watch.feed(NOTHING, values(101, 110, 100))
    assert [(event.at, event.entered, event.value) for event in events] == [
        (1, True, -10),
        (2, False, 0),
    ]


def test_a_twins_value_is_held_against_the_nearest() -> None:
    watch = watcher(low=-5, high=5, hysteresis=0, other=1, reach_ticks=25, every=True)
    other = Values(np.array([100, 200, 300]), np.array([0, 40, 200]))
    mine = Values(np.array([110, 210, 220, 300, 310]), np.array([19, 21, 60, 100, 180]))
    assert watch.feed(NOTHING, other) == []
    # 19 is nearer to 0, 21 and 60 are nearer to 40; nothing is near 100; 180 belongs to 200.
    assert [(event.value, event.ticks) for event in watch.feed(mine)] == [
        (10, 19),
        (10, 21),
        (20, 60),
        (10, 180),
    ]


def test_a_twin_waits_until_the_nearest_is_known() -> None:
    watch = watcher(low=-5, high=5, hysteresis=0, other=1, reach_ticks=100, every=True)
    assert watch.feed(values(110), Values(np.array([100]), np.array([-10]))) == []
    (event,) = watch.feed(NOTHING, Values(np.array([90]), np.array([5])))
    assert event.value == 20


def test_another_signals_newest_value_is_the_target() -> None:
    watch = watcher(low=-5, high=5, hysteresis=0, other=1)
    assert watch.feed(values(100, 120, 140)) == []
    slow = Values(np.array([100, 140]), np.array([0, 150]))
    assert [(event.at, event.value) for event in watch.feed(NOTHING, slow)] == [(1, 20)]


@given(st.lists(st.integers(0, 4095), min_size=1, max_size=60), st.integers(1, 7))
def test_pieces_do_not_change_what_is_told(numbers: list[int], size: int) -> None:
    whole = [event.ticks for event in watcher(times=2).feed(values(*numbers))]
    piecewise = watcher(times=2)
    given_ = values(*numbers)
    found = []
    for at in range(0, len(numbers), size):
        part = Values(given_.values[at : at + size], given_.ticks[at : at + size])
        found += [event.ticks for event in piecewise.feed(part)]
    assert found == whole
