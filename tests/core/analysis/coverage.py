"""Whether stated uncertainties hold: twice a standard uncertainty covers the truth in 91 to 98 of 100 cases."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from wattigram.core.analysis import Estimate

CASES = 200
Case = Callable[[np.random.Generator], Mapping[str, tuple[Estimate | None, float]]]


def shares(case: Case, cases: int = CASES) -> dict[str, float]:
    """For each figure of a case the share of seeds whose interval covers the truth; a figure that is not told
    (None) does not count."""
    told: dict[str, list[bool]] = {}
    for seed in range(cases):
        for name, (estimate, truth) in case(np.random.default_rng(seed)).items():
            hits = told.setdefault(name, [])
            if estimate is not None:
                hits.append(bool(estimate.low <= truth <= estimate.high))
    return {name: float(np.mean(hits)) for name, hits in told.items()}


def assert_covered(case: Case, low: float = 0.90, high: float = 0.995, cases: int = CASES) -> None:
    """Of all figures; the bounds allow for so few cases."""
    found = shares(case, cases)
    assert found
    assert all(low <= share <= high for share in found.values()), found
