"""What a main loop sends of results that it polls, on the board and as it is predicted."""

from __future__ import annotations

import numpy as np
import pytest

from wattigram.core.board.isr_timing import MainWork
from wattigram.core.contract.board_config import EffectiveService
from wattigram.core.predict.timing.losses import Frames, Sender


def test_a_gap_sends_what_came_before_and_a_half_the_rest() -> None:
    """Halves of 10 take 100 clocks, a single result 19: each more takes 9."""
    work = MainWork(EffectiveService(keep="newest", half=10, later_ticks=100, gap_ticks=19))
    assert [work.after(1, 0) for _ in range(4)] == [0, 0, 0, 0]
    assert work.after(1, 2) == 19 + 3 * 9  # four go out; this is the seventh result
    assert [work.after(1, 0) for _ in range(2)] == [0, 0]
    assert work.after(1, 0) == 19 + 3 * 9  # the tenth
    assert work.after(1, 1) == 0  # there is nothing to send
    assert work.after(1, 8) == 19  # from the twelfth on nine were lost: the half ends in between


def test_a_program_that_only_counts_gaps_takes_whole_halves() -> None:
    work = MainWork(EffectiveService(keep="newest", half=4, later_ticks=100))
    assert [work.after(1, lost) for lost in (0, 0, 1, 0, 1)] == [0, 0, 100, 0, 0]


def test_a_half_that_takes_nothing_leaves_gaps_as_long_as_they_are() -> None:
    """What a half takes may not be stated where a gap is."""
    work = MainWork(EffectiveService(keep="newest", half=4, gap_ticks=50))
    assert [work.after(1, lost) for lost in (0, 0, 0, 0, 0, 0, 1)] == [0, 0, 0, 0, 0, 0, 50]
    assert Frames(half=4, gap=50).of(3) == 50


@pytest.mark.parametrize("seed", range(10))
def test_the_board_takes_as_long_as_is_predicted(seed: int) -> None:
    random = np.random.default_rng(seed)
    half, gap = int(random.integers(2, 40)), float(random.integers(0, 2) * random.integers(1, 900))
    later = float(random.integers(0, 2) * random.integers(1, 5000))
    work = MainWork(EffectiveService(keep="newest", half=half, later_ticks=later, gap_ticks=gap))
    sender = Sender(Frames(half, later, gap))
    steps = [(1, int(lost)) for lost in random.choice([0, 0, 0, 1, 2, 50], 400)]
    taken = [(work.after(*step), sender.fetched(*step)) for step in steps]
    assert [one for one, _ in taken] == pytest.approx([other for _, other in taken])
    assert bool(gap or later) == any(one for one, _ in taken)
