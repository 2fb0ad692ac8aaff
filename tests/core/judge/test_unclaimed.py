from __future__ import annotations

import random

import pytest

from wattigram.core.judge.nearest_match import NearestMatch


def test_each_instant_is_claimed_once_and_the_nearest_first() -> None:
    unclaimed = NearestMatch([3.0, 1.0, 2.0])
    assert unclaimed.claim_nearest(1.6, 1.0) == 2.0
    assert unclaimed.claim_nearest(1.6, 1.0) == 1.0
    assert unclaimed.claim_nearest(1.6, 1.0) is None
    assert unclaimed.rest() == [3.0]


def test_of_two_as_near_the_earlier_one_is_claimed() -> None:
    assert NearestMatch([1.0, 2.0]).claim_nearest(1.5, 1.0) == 1.0


@pytest.mark.parametrize("seed", range(30))
def test_it_claims_what_a_plain_search_claims(seed: int) -> None:
    rng = random.Random(seed)
    times = [rng.randrange(200) / 8 for _ in range(rng.randrange(60))]
    unclaimed, left = NearestMatch(times), sorted(times)
    for _ in range(80):
        at, within = rng.randrange(400) / 16, rng.choice([0.0, 0.25, 2.0, 40.0])
        near = [one for one in left if abs(one - at) <= within]
        wanted = min(near, key=lambda one: (abs(one - at), one)) if near else None
        assert unclaimed.claim_nearest(at, within) == wanted
        if wanted is not None:
            left.remove(wanted)
    assert unclaimed.rest() == left
