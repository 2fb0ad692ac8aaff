"""What is gathered piece by piece is what the whole has."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wattigram.core.analysis.moments import Largest, Moments

PIECES = st.lists(
    st.lists(st.floats(-1e3, 1e3), max_size=20).map(np.array), min_size=1, max_size=8
).filter(lambda pieces: sum(map(len, pieces)) > 1)


@given(PIECES)
def test_mean_and_spread_of_pieces(pieces: list[np.ndarray]) -> None:
    moments = Moments()
    for piece in pieces:
        moments.add(piece)
    whole = np.concatenate(pieces)
    assert moments.count == len(whole)
    assert moments.mean == pytest.approx(whole.mean(), abs=1e-9)
    assert moments.std == pytest.approx(whole.std(), abs=1e-9)
    assert moments.mean_sigma == pytest.approx(whole.std() / math.sqrt(len(whole)), abs=1e-9)


def test_by_hand() -> None:
    moments = Moments()
    assert (moments.count, moments.mean, moments.std, moments.mean_sigma) == (0, 0.0, 0.0, 0.0)
    moments.add(np.array([1.0, 3.0]))
    assert (moments.mean, moments.std) == (2.0, 1.0)
    moments.add(np.array([8.0, 8.0]))
    assert (moments.count, moments.mean) == (4, 5.0)
    assert moments.std == pytest.approx(math.sqrt((16 + 4 + 9 + 9) / 4))
    assert moments.mean_sigma == pytest.approx(moments.std / 2)


@settings(max_examples=60)
@given(st.integers(2, 4000), st.sampled_from([50.0, 90.0, 95.0, 99.0, 99.9]), st.integers(0, 99))
def test_a_percentile_near_the_top(count: int, percent: float, seed: int) -> None:
    values = np.random.default_rng(seed).normal(size=count)
    largest = Largest(count, percent)
    for begin in range(0, count, 37):
        largest.add(values[begin : begin + 37])
    assert largest.percentile == pytest.approx(float(np.percentile(values, percent)))
    assert len(largest._kept) <= 2 * (count * (1 - percent / 100) + 2) + 37
