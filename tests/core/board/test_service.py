"""Handlers that are in time, and those that are not."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from wattigram.core.board.isr_timing import IsrTimeline, Processor
from wattigram.core.contract.board_config import EffectiveService


def service(keep: str = "newest", **numbers: object) -> IsrTimeline:
    return IsrTimeline(EffectiveService(keep=keep, **numbers), (1, 0))  # type: ignore[arg-type]


def test_a_handler_in_time_fetches_all() -> None:
    served = service(notice_ticks=5, rest_ticks=20).serve(np.arange(1, 11) * 100.0, math.inf)
    assert served.places.tolist() == list(range(10))
    assert served.lost == 0


def test_one_register_keeps_the_newest() -> None:
    """Results every 100, 250 for each: the one in the register at the time is fetched."""
    served = service(notice_ticks=10, rest_ticks=240).serve(np.arange(1, 13) * 100.0, math.inf)
    assert served.places.tolist()[:4] == [0, 2, 5, 7]
    assert served.lost == 12 - len(served.places)


def test_a_fifo_keeps_the_oldest_up_to_its_depth() -> None:
    served = service("oldest", unit=2, depth=3, notice_ticks=1, rest_ticks=700).serve(
        np.arange(1, 20) * 100.0, math.inf
    )
    assert served.places.tolist()[:5] == [0, 1, 2, 3, 4]
    assert served.lost > 0
    assert all(b > a for a, b in zip(served.places, served.places[1:], strict=False))


def test_a_handler_that_is_never_called_loses_all() -> None:
    served = service(never=True).serve(np.arange(5.0), math.inf)
    assert (len(served.places), served.lost) == (0, 5)


def test_what_is_not_yet_known_waits() -> None:
    one = service(notice_ticks=50, rest_ticks=60)
    assert len(one.serve(np.array([100.0, 120.0]), 130.0).places) == 0
    assert one.waiting == 2
    later = one.serve(np.array([400.0]), math.inf)
    assert later.places.tolist() == [1, 2]
    assert later.lost == 1


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.integers(1, 300), min_size=1, max_size=60),
    st.sampled_from(["newest", "oldest"]),
    st.integers(1, 3),
    st.integers(0, 500),
    st.integers(1, 11),
)
@example([1, 1, 1, 1, 6, 1, 1], "oldest", 2, 0, 1)
def test_pieces_do_not_change_what_is_fetched(
    gaps: list[int], keep: str, unit: int, rest: int, size: int
) -> None:
    ends = np.cumsum(np.array(gaps, dtype=np.float64))
    numbers = {"unit": unit, "depth": unit + 2, "notice_ticks": 7.0, "rest_ticks": float(rest)}
    whole = service(keep, **numbers).serve(ends, math.inf)
    piecewise = service(keep, **numbers)
    found, lost, done, waiting = [], 0, 0, 0
    for at in range(0, len(ends), size):
        part = ends[at : at + size]
        known = float(ends[at + size]) if at + size < len(ends) else math.inf
        served = piecewise.serve(part, known)
        found += [int(place) + done for place in served.places]
        lost += served.lost
        done += waiting + len(part) - piecewise.waiting
        waiting = piecewise.waiting
    assert found == whole.places.tolist()
    assert lost == whole.lost


@pytest.mark.parametrize("jitter", [0, 40])
def test_waits_are_random_within_their_bound(jitter: int) -> None:
    ends = np.arange(1, 4001) * 1000.0
    served = service(notice_ticks=10, rest_ticks=975, jitter_ticks=jitter).serve(ends, math.inf)
    assert (served.lost == 0) == (jitter == 0)
    assert served.lost < len(ends) * 0.1


def test_isrs_of_one_processor_take_turns() -> None:
    """The second is asked for while the first runs, and reads when that is over; what came meanwhile is lost.
    Nothing is decided before the results of both are known."""
    processor = Processor()
    long, short = (
        IsrTimeline(
            EffectiveService(keep="newest", notice_ticks=10, rest_ticks=rest), (1, key), processor
        )
        for key, rest in enumerate((300.0, 20.0))
    )
    ends = np.arange(1, 11) * 100.0
    assert len(short.serve(ends, 2000.0).places) == 0
    assert short.waiting == 10
    assert long.serve(np.array([250.0]), 2000.0).places.tolist() == [0]
    # At 100 and 200 it is in time; 300 to 500 wait until 560, when the newest is 500.
    found = short.serve(np.empty(0), 2000.0)
    assert found.places.tolist() == [0, 1, 4, 5, 6, 7, 8, 9]
    assert found.lost == 2


def test_what_the_main_loop_does_holds_up_no_other_isr() -> None:
    processor = Processor()
    services = (
        EffectiveService(keep="newest", notice_ticks=10, rest_ticks=20, later_ticks=900),
        EffectiveService(keep="newest", notice_ticks=10, rest_ticks=20),
    )
    working, other = (IsrTimeline(one, (1, key), processor) for key, one in enumerate(services))
    ends = np.arange(1, 11) * 100.0
    other.serve(ends + 50.0, 1200.0)
    assert working.serve(ends, 1200.0).places.tolist() == [0, 9]  # the tenth is the newest at 1 030
    assert len(other.serve(np.empty(0), 1200.0).places) == 10
