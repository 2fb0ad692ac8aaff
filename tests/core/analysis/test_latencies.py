"""From causes to their effects."""

from __future__ import annotations

import numpy as np

from wattigram.core.analysis import latencies


def test_each_cause_has_the_first_effect_before_the_next() -> None:
    causes = np.array([0.0, 1.0, 2.0, 3.0, 4.0])
    effects = np.array([-0.5, 0.25, 0.3, 2.0, 3.9, 3.95])
    found = latencies(causes, effects)
    assert np.allclose(found.seconds, [0.25, 0.0, 0.9])
    assert np.allclose(found.instants_s, [0.0, 2.0, 3.0])
    assert found.unanswered == 1  # of the last nobody knows yet


def test_nothing_answers_nothing() -> None:
    none = np.empty(0)
    assert len(latencies(none, np.array([1.0])).seconds) == 0
    alone = latencies(np.array([1.0, 2.0]), none)
    assert (len(alone.seconds), alone.unanswered) == (0, 1)
