"""Rows a second from when they come."""

from __future__ import annotations

import numpy as np
import pytest

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.foreign.measured_rate import measure_rate, rate_of
from wattigram.core.capture.foreign.stream_reader import recognise


def arrivals(
    rate_hz: float, lot: int, span_s: float, late_s: float, seed: int
) -> list[tuple[float, int]]:
    """Lots of rows as a link hands them over, each a little late."""
    random = np.random.default_rng(seed)
    begin = random.uniform(0, lot)
    counts = np.arange(lot, int(rate_hz * span_s) + lot, lot)
    times = (counts + begin) / rate_hz + random.uniform(0, late_s, len(counts))
    return list(zip(np.maximum.accumulate(times).tolist(), counts.tolist(), strict=True))


@pytest.mark.parametrize(
    ("rate_hz", "lot"), [(100.0, 1), (1000.0, 16), (123.456, 3), (20_000.0, 256)]
)
def test_the_truth_lies_within_what_is_told(rate_hz: float, lot: int) -> None:
    inside = 0
    for seed in range(200):
        found = rate_of(arrivals(rate_hz, lot, 8.0, 2e-3, seed))
        assert found is not None
        inside += abs(found.rate_hz - rate_hz) <= 2 * found.sigma_hz
        assert found.sigma_hz < 0.01 * rate_hz
    assert inside >= 182


def test_little_tells_nothing() -> None:
    assert rate_of([]) is None
    assert rate_of([(0.01 * n, n) for n in range(7)]) is None
    assert rate_of([(0.001 * n, n) for n in range(100)]) is None


class Source:
    """Hands over a row at each read, and puts a clock forward by hand."""

    name = "made up"

    def __init__(self, every_s: float, rows: int) -> None:
        self.now, self._every_s, self._left = 0.0, every_s, rows

    def clock(self) -> float:
        return self.now

    def read(self) -> bytes | None:
        if not self._left:
            return None
        self._left -= 1
        self.now += self._every_s
        return b"1.5,2.5\n"


def test_a_source_is_listened_to_for_as_long_as_was_said() -> None:
    form = recognise(b"1.5,2.5\n" * 40).ways[0].format
    source = Source(0.02, 10_000)
    found = measure_rate(source, form, 5.0, lambda share: False, source.clock)  # type: ignore[arg-type]
    assert found.rate_hz == pytest.approx(50, rel=1e-3)
    assert found.span_s == pytest.approx(5.0, abs=0.1)
    short = Source(0.02, 5)
    with pytest.raises(LinkError, match="too few"):
        measure_rate(short, form, 5.0, lambda share: False, short.clock)  # type: ignore[arg-type]
