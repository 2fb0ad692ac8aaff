"""Every source of the bench: what it says of itself against its own voltage over time."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest

from tests.recorded.figures import check_recorded
from wattigram.core.model.bench import BoardSource, FloatingInput, Jumper
from wattigram.core.model.bench.sources import SOURCES
from wattigram.core.model.bench.sources.source import Driven, SourceModel, Surroundings

AROUND = Surroundings(3.3, 3.3, output_pins=("A4",), other_pins=("A1",))
OFFERED = [kind for kind in SOURCES if kind.title and kind is not BoardSource]
OPENED = [kind for kind in OFFERED if kind is not Jumper and "pin" not in kind.__struct_fields__]


def opened(kind: type[SourceModel]) -> Driven:
    return kind.fresh(AROUND, 1e-3).opened(AROUND)


@pytest.mark.parametrize("kind", OPENED, ids=lambda kind: kind.__name__)
def test_a_source_stays_within_what_it_says(kind: type[SourceModel]) -> None:
    source = opened(kind)
    times_s = np.linspace(0, 2 * source.span_s, 20_001)
    volts = source.at(times_s)
    low_v, high_v = source.extent_v
    tolerance = 1e-9 + 2e-3 * (high_v - low_v)
    assert low_v - 1e-9 <= volts.min()
    assert volts.max() <= high_v + 1e-9
    if kind is not FloatingInput:  # its sines are seldom all at their ends
        assert volts.min() <= low_v + tolerance
        assert volts.max() >= high_v - tolerance
    steepest = np.abs(np.diff(volts)).max() / (times_s[1] - times_s[0])
    assert steepest <= source.slope_v_s * 1.01 + 1e-9
    if kind is not FloatingInput:
        assert steepest >= 0.95 * min(source.slope_v_s, 1e9) or source.slope_v_s == math.inf


@pytest.mark.parametrize("share", [0.2, 0.5, 0.85])
@pytest.mark.parametrize("kind", OPENED, ids=lambda kind: kind.__name__)
def test_a_source_crosses_a_level_where_its_voltage_does(
    kind: type[SourceModel], share: float
) -> None:
    source = opened(kind)
    low_v, high_v = source.extent_v
    level_v = low_v + share * (high_v - low_v)
    known = source.crossings(level_v)
    if known is None:
        assert high_v == low_v or not np.isfinite(source.span_s) or kind.__name__ in WITHOUT
        return
    period_s, instants = float(known[0]), [(float(at_s), rises) for at_s, rises in known[1]]
    near_s = period_s * 1e-4
    for at_s, rises in instants:
        before, after = source.at(np.array([at_s - near_s, at_s + near_s]) + period_s)
        assert (before < level_v < after) if rises else (before > level_v > after)
    times_s = period_s + (np.arange(50_000) + 0.5) * period_s / 50_000
    above = source.at(times_s) > level_v
    assert np.count_nonzero(above != np.roll(above, 1)) == len(instants)


WITHOUT = {"FloatingInput", "SweptSource"}
"""Cross levels, and not at instants that come again."""


@pytest.mark.parametrize("kind", OPENED, ids=lambda kind: kind.__name__)
def test_low_passes_and_mains_change_what_they_can(kind: type[SourceModel]) -> None:
    source = opened(kind)
    louder = source.with_noise(0.25)
    assert louder.noise_v == pytest.approx(0.25)
    low_v, high_v = source.extent_v
    slow = source.filtered((1e3 * source.span_s,))
    slow_low_v, slow_high_v = slow.extent_v
    assert slow_high_v - slow_low_v <= 0.05 * (high_v - low_v) or kind.__name__ in WITHOUT


def figures() -> Iterator[tuple[str, Any]]:
    for kind in OPENED:
        source = opened(kind)
        low_v, high_v = source.extent_v
        times_s = np.linspace(0, 1.7 * source.span_s, 300)
        name = kind.__name__
        yield f"{name} voltage", source.at(times_s)
        yield f"{name} facts", [source.extent_v, source.span_s, source.slope_v_s, source.noise_v]
        yield (
            f"{name} filtered",
            source.filtered((source.span_s / 7, source.span_s / 90)).at(times_s),
        )
        yield f"{name} drive", source.drive()
        for share in (0.1, 0.6):
            yield f"{name} crossing {share}", source.crossings(low_v + share * (high_v - low_v))


def test_figures_of_all_sources_are_as_recorded() -> None:
    check_recorded("model/sources", figures())
